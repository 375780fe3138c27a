import { expect, it } from "vitest";
import { drawn, ticks } from "./States";

const HOUR = 3_600_000;
const share = (n: number) => ({
  start: n * HOUR,
  end: (n + 1) * HOUR,
  on_ms: 600_000,
  known_ms: HOUR,
});

it("draws hours in place of stretches that are forgotten, or too many", () => {
  const stretches = [
    { start: 2.5 * HOUR, end: 3 * HOUR, value: 0 },
    { start: 3 * HOUR, end: 4 * HOUR, value: 1 },
  ];
  const shares = [0, 1, 2, 3].map(share);
  const course = { stretches, shares, cut: false, start: 0, end: 4 * HOUR };
  expect(drawn(course)).toEqual({
    stretches,
    shares: [share(0), share(1), { ...share(2), end: 2.5 * HOUR }],
  });
  expect(drawn({ ...course, cut: true })).toEqual({ stretches: [], shares });
  const many = Array.from({ length: 300 }, (_, n) => ({ start: n, end: n + 1, value: n % 2 }));
  expect(drawn({ ...course, stretches: many })).toEqual({ stretches: [], shares });
  expect(drawn({ ...course, stretches: [] }).shares).toEqual(shares);
});

it("marks a year by its months, nine at most", () => {
  const start = Date.UTC(2025, 10, 28, 9);
  const found = ticks(start, start + 365 * 24 * HOUR);
  expect(found.length).toBeLessThanOrEqual(9);
  expect(found.map((at) => new Date(at).getDate())).toEqual(found.map(() => 1));
  expect(ticks(start, start + 24 * HOUR).length).toBeLessThanOrEqual(9);
});
