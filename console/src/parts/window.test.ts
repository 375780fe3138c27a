import { expect, it } from "vitest";
import { fitted, panned, windowOf, zoomed } from "./window";

const NOW = 1_800_000_000_000;
const HOUR = 3_600_000;
const of = (text: string) => windowOf(new URLSearchParams(text), NOW);

it("reads the address, and takes a day for what cannot be", () => {
  expect(of("span=week")).toEqual({ span: "week", start: NOW - 168 * HOUR, end: NOW });
  for (const odd of ["", "span=age", "from=5", "from=9&to=5", "from=x&to=y"])
    expect(of(odd).span).toBe("day");
  expect(of(`from=${NOW - 2 * HOUR}&to=${NOW - HOUR}`)).toEqual({
    span: null,
    start: NOW - 2 * HOUR,
    end: NOW - HOUR,
  });
});

it("zooms about a moment that stays where it is", () => {
  const day = of("span=day");
  const at = NOW - 12 * HOUR;
  expect(zoomed(day, 0.5, at, NOW)).toEqual({
    span: null,
    start: NOW - 18 * HOUR,
    end: NOW - 6 * HOUR,
  });
  const close = zoomed(fitted({ start: at, end: at + 1000 }, NOW), 0.1, at, NOW);
  expect(close.end - close.start).toBe(60_000);
});

it("never shows what is still to come", () => {
  const later = panned(of("span=day"), 3, NOW);
  expect([later.start, later.end]).toEqual([NOW - 24 * HOUR, NOW]);
  const before = panned(of("span=day"), -0.25, NOW);
  expect([before.start, before.end]).toEqual([NOW - 30 * HOUR, NOW - 6 * HOUR]);
  expect(zoomed(of("span=day"), 2, NOW, NOW).end).toBe(NOW);
});
