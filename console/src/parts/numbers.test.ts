import { expect, it } from "vitest";
import { columns, isCalm, numbers, stood } from "./numbers";

const history = {
  at: [1000, 2000, 3000, 60_000, 61_000],
  mean: [1, 2, 3, 4, 5],
  low: [0, 1, 2, 3, 4],
  high: [2, 3, 4, 5, 9],
  count: [1, 1, 1, 1, 6],
  width_ms: 1000,
};

it("weighs the mean by how often each was heard", () => {
  expect(numbers(history)).toEqual({ low: 0, high: 9, mean: 4, count: 10 });
  expect(numbers({ mean: [], low: [], high: [], count: [] }).mean).toBe(0);
});

it("draws mean, lowest and highest of a day over a long span", () => {
  const hour = 3_600_000;
  const at = Array.from({ length: 24 * 10 }, (_, n) => n * hour);
  const mean = at.map((_, n) => 20 + 8 * Math.sin((n / 24) * 2 * Math.PI));
  const month = { at, mean, low: mean, high: mean, count: at.map(() => 1), width_ms: hour };
  const [, ...drawn] = columns(month, true);
  const spread = drawn.map((column) => {
    const inner = column.slice(24, -24) as number[];
    return [Math.min(...inner), Math.max(...inner)].map(Math.round);
  });
  expect(spread).toEqual([
    [20, 20],
    [12, 12],
    [28, 28],
  ]);
  expect(columns(month)[1]).toEqual(mean);
  const hours = { width_ms: hour / 4 };
  expect(isCalm(month, { drawn: "line" })).toBe(true);
  expect(isCalm(hours, { drawn: "line" })).toBe(false);
  expect(isCalm(month, { drawn: "states" })).toBe(false);
  expect(isCalm(month, { drawn: "needle" })).toBe(false);
});

it("leaves a gap where nothing was heard", () => {
  const [at, mean] = columns({ ...history, at: [1000, 2000, 3000, 4000, 61_000] });
  expect(at).toEqual([1, 2, 3, 4, 61]);
  const many = { ...history, at: [...Array(20).keys()].map((n) => n * 1000).concat(90_000) };
  const long = Array.from({ length: 21 }, (_, n) => n);
  const [times, means] = columns({ ...many, mean: long, low: long, high: long });
  expect(times).toHaveLength(22);
  expect(times[20]).toBe(54.5);
  expect(means?.[20]).toBeNull();
  expect(mean).toEqual([1, 2, 3, 4, 5]);
});

it("does not take a slow node's usual distance for a gap", () => {
  const at = [0, 900_000, 1_800_000, 2_700_000];
  const four = [1, 2, 3, 4];
  const [times] = columns({ at, mean: four, low: four, high: four, count: four, width_ms: 1000 });
  expect(times).toHaveLength(4);
});

it("counts how long and how often something was so", () => {
  const stretches = [
    { start: 0, end: 10, value: 1 },
    { start: 10, end: 40, value: 0 },
    { start: 40, end: 45, value: 1 },
  ];
  const shares = [
    { start: 0, end: 30, on_ms: 10, known_ms: 30 },
    { start: 30, end: 60, on_ms: 5, known_ms: 15 },
  ];
  const told = { stretches, shares, cut: false };
  expect(stood(told)).toEqual({ onMs: 15, ofMs: 45, times: 2 });
  expect(stood({ ...told, stretches: [], shares: [] })).toMatchObject({ ofMs: 0, times: 0 });
  // Nobody knows how often it began where its readings are forgotten.
  expect(stood({ ...told, stretches: stretches.slice(1) }).times).toBeNull();
  expect(stood({ ...told, cut: true })).toEqual({ onMs: 15, ofMs: 45, times: null });
});
