import { expect, it } from "vitest";
import { stretches } from "./DayLine";

it("goes from moves to stretches, and on to the end", () => {
  expect(
    stretches({
      start: 100,
      end: 900,
      stood_from: [50, 200, 300, 400, 700],
      stood: ["on", "idle", "holding", "waiting", "on"],
    }),
  ).toEqual([
    { from: 100, to: 200, as: "on" },
    { from: 300, to: 400, as: "holding" },
    { from: 400, to: 700, as: "waiting" },
    { from: 700, to: 900, as: "on" },
  ]);
  expect(stretches({ start: 0, end: 9, stood_from: [], stood: [] })).toEqual([]);
});
