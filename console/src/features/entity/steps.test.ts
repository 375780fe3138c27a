import { expect, it } from "vitest";
import { courseOf, freshStep, moved } from "./steps";

it("begins a step with its usual numbers, and bounds with those of the value", () => {
  const sort = (step: string, ...parameters: [string, number | string | null][]) => ({
    step,
    about: "",
    parameters: parameters.map(([name, usual]) => ({
      name,
      about: "",
      default: usual,
      choices: [],
      text: false,
      time: typeof usual === "string",
    })),
  });
  const entity = { low: -40, high: 85 };
  expect(freshStep(sort("low-pass", ["time", "2 min"]), entity)).toEqual({
    step: "low-pass",
    time: "2 min",
  });
  expect(freshStep(sort("clamp", ["low", null], ["high", null]), entity)).toEqual({
    step: "clamp",
    low: -40,
    high: 85,
  });
});

it("moves a step up and down, and not over the ends", () => {
  expect(moved(["a", "b", "c"], 1, -1)).toEqual(["b", "a", "c"]);
  expect(moved(["a", "b", "c"], 1, 1)).toEqual(["a", "c", "b"]);
  expect(moved(["a", "b"], 0, -1)).toEqual(["a", "b"]);
});

it("draws what was tried in buckets that keep each spike, without what is bad", () => {
  const at = Array.from({ length: 1200 }, (_, n) => n * 500);
  const values = at.map((_, n) => (n === 601 ? 99 : n === 10 ? null : 20));
  const tried = { entity: "a/b", unit: "°C", start: 0, end: 600_000, at, plain: values };
  const course = courseOf({ ...tried, made: values, spikes: 0, cut: false }, values);
  expect(course.at.length).toBe(600);
  expect(course.high[300]).toBe(99);
  expect(course.mean[300]).toBe(59.5);
  expect(course.count[5]).toBe(1);
  expect(course.count.reduce((sum, n) => sum + n, 0)).toBe(1199);
});
