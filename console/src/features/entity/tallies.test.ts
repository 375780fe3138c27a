import { expect, test } from "vitest";
import { short } from "../../ui/time";
import { compared, perOf, startOf } from "./tallies";

test("today is compared with yesterday and the same day last week", () => {
  const rows = [3, 9, 9, 9, 9, 9, 5, 7].map((high) => ({ high }));
  expect(compared(rows, "day")).toEqual([
    { word: "today", value: 7 },
    { word: "yesterday", value: 5 },
    { word: "the same day last week", value: 3 },
  ]);
  expect(compared(rows.slice(-1), "day")).toEqual([{ word: "today", value: 7 }]);
  expect(compared(rows, "year").map((one) => one.word)).toEqual(["this year", "last year"]);
});

test("only a tally has spans", () => {
  const of = (method: string, per?: string) =>
    perOf({ computed: { method, parameters: per ? { per } : {} } } as never);
  expect(of("starts", "week")).toBe("week");
  expect(of("mean")).toBe(null);
  expect(of("amount", "decade")).toBe(null);
  expect(startOf(15 * 86_400_000, "day")).toBe(86_400_000);
});

test("spans are named by what tells them apart", () => {
  const at = Date.UTC(2026, 10, 27, 14);
  const named = (["hour", "day", "week", "month", "year"] as const).map((per) =>
    short(at, per, "UTC"),
  );
  expect(named).toEqual(["14:00", "Fri 27", "27 Nov", "Nov", "2026"]);
});
