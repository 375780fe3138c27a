import { expect, it } from "vitest";
import { ago, clock, day, exact, hourOf, length, sinceWhen } from "./time";

const AT = Date.UTC(2026, 10, 25, 22, 30, 15);

it.each([
  [0, "just now"],
  [12, "12 s ago"],
  [59, "59 s ago"],
  [60, "1 min ago"],
  [3599, "59 min ago"],
  [7200, "2 h ago"],
  [200_000, "2 d ago"],
])("%i seconds are %s", (seconds, words) => {
  expect(ago(AT - seconds * 1000, AT)).toBe(words);
});

it("knows what was never heard, and what comes from a clock that is ahead", () => {
  expect(ago(null, AT)).toBe("never");
  expect(ago(AT + 5000, AT)).toBe("just now");
  expect(exact(null)).toBe("");
});

it("tells times in house time", () => {
  expect(clock(AT, "Europe/Berlin")).toBe("23:30:15");
  expect(day(AT, "Asia/Tokyo")).toBe("Thursday 26 November");
  expect(hourOf(AT, "Europe/Berlin")).toBeCloseTo(23.504, 3);
  expect(exact(AT, "UTC")).toContain("25 Nov 2026");
});

it("writes a length in its two largest units", () => {
  expect([0, 5_000, 65_000, 3_600_000, 3_605_000, 295_200_000].map(length)).toEqual([
    "0 s",
    "5 s",
    "1 min 5 s",
    "1 h",
    "1 h",
    "3 d 10 h",
  ]);
});

it("says since when in the fewest words", () => {
  const noon = Date.UTC(2026, 6, 14, 10, 0);
  expect(sinceWhen(noon - 3_600_000, noon, "Europe/Berlin")).toBe("11:00");
  expect(sinceWhen(noon - 86_400_000, noon, "Europe/Berlin")).toMatch(/^Mon,? 13 Jul,? 12:00$/);
});
