import { expect, test } from "vitest";
import { beside, drawnDay, scaleOf } from "./days";

const hour = (at: number, median: number) => ({
  hour: at,
  low: median - 1,
  median,
  high: median + 1,
});

test("a usual day leaves hours open that are not known", () => {
  const drawn = drawnDay([hour(0, 10), hour(1, 11), hour(5, 12)], [9, 13]);
  expect(drawn.map((one) => one.key)).toEqual([0, 5]);
  expect(drawn[0]?.line).toBe("M5 35L15 24");
  expect(drawn[0]?.band).toBe("M5 24L15 13L15 35L5 46Z");
});

test("rooms of a kind share one scale; one that stands still lies in the middle", () => {
  const entity = { day: [hour(0, 10), hour(1, 20)] };
  const other = { day: [hour(3, 4)] };
  expect(scaleOf({ entities: [entity, other] } as never)).toEqual([3, 21]);
  expect(drawnDay([{ hour: 0, low: 2, median: 2, high: 2 }], [2, 2])[0]?.line).toBe("M5 24");
});

test("one goes to the month or week before and after", () => {
  expect(beside("2026-11-01", "month", -1)).toBe("2026-10-31");
  expect(beside("2026-01-01", "month", 1)).toBe("2026-02-01");
  // On the first of December one goes from November to this month, which has begun.
  expect(beside("2026-11-01", "month", 1)).toBe("2026-12-01");
  expect(beside("2026-11-23", "week", 1)).toBe("2026-11-30");
  expect(beside("2026-11-23", "week", -1)).toBe("2026-11-22");
});
