import { expect, it } from "vitest";
import { trend } from "./trend";

const history = { at: [0, 50, 100], mean: [10, 20, 10], start: 0, end: 100 };

it("spans the box from edge to edge, and touches neither top nor bottom", () => {
  expect(trend(history, []).line).toBe("M0 92L50 8L100 92");
  expect(trend(history, []).area).toBe("M0 92L50 8L100 92L100 100L0 100Z");
});

it("makes room for the limits", () => {
  const drawn = trend(history, [{ limit: 30, until: 20 }]);
  expect(drawn.limits).toEqual([8, 50]);
  expect(drawn.line).toBe("M0 92L50 50L100 92");
});

it("lays a flat course in the middle", () => {
  expect(trend({ ...history, mean: [5, 5, 5] }, []).line).toBe("M0 50L50 50L100 50");
});
