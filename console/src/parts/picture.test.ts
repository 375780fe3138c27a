import { expect, test } from "vitest";
import { fileName, svgOf, ticks } from "./picture";

test("an axis has a few round numbers", () => {
  expect(ticks(0, 10)).toEqual([0, 2, 4, 6, 8, 10]);
  expect(ticks(18.2, 21.9)).toEqual([19, 20, 21]);
  expect(ticks(0.1, 0.35)).toEqual([0.1, 0.15, 0.2, 0.25, 0.3, 0.35]);
  expect(ticks(5, 5).length).toBeGreaterThan(0);
});

test("a chart's file has a name in whatever script its title is", () => {
  expect(fileName("Käsekeller: Humidity (%)")).toBe("käsekeller-humidity");
  expect(fileName("奥の間")).toBe("奥の間");
  expect(fileName("../../\u202egnp\0")).toBe("gnp");
  expect(fileName("★ ❤")).toBe("chart");
});

test("a picture takes a title that holds what no XML may", () => {
  const svg = svgOf([], "Rack\0 \ud800 \ufffe <b>", (name) => name);
  const page = new DOMParser().parseFromString(svg, "image/svg+xml");
  expect(page.querySelector("parsererror")).toBeNull();
});

const course = (name: string, unit: string, mean: number[]) => ({
  name,
  entity: { entity: "a/b", spoken: name, unit, decimals: 1, words: null, drawn: "line" as const },
  history: {
    entity: "a/b",
    unit,
    start: 0,
    end: 4_000_000,
    width_ms: 1_000_000,
    at: mean.map((_, n) => 500_000 + n * 1_000_000),
    mean,
    low: mean.map((one) => one - 1),
    high: mean.map((one) => one + 1),
    count: mean.map(() => 1),
  },
});

test("a picture has a line for each course, an axis for each unit, and no way out of it", () => {
  const svg = svgOf(
    [course("Rack <b>", "°C", [1, 2, 3, 4]), course("Beam", "%", [50, 60, 50, 60])],
    'Rack & "Beam"</title><script>',
    (name) => name,
  );
  const page = new DOMParser().parseFromString(svg, "image/svg+xml");
  expect(page.querySelector("parsererror")).toBeNull();
  expect(page.querySelectorAll("script, b").length).toBe(0);
  expect(page.querySelector("title")?.textContent).toBe('Rack & "Beam"</title><script>');
  expect(page.querySelectorAll('path[stroke-width="2"]').length).toBe(2);
  const words = [...page.querySelectorAll("text")].map((one) => one.textContent);
  expect(words).toContain("°C");
  expect(words).toContain("%");
  expect(words).toContain("Rack <b>");
});

test("directions are points in a picture, without a line through the south", () => {
  const wind = course("Wind", "°", [350, 10, 355]);
  const svg = svgOf(
    [{ ...wind, entity: { ...wind.entity, drawn: "needle" as const } }],
    "Wind",
    (name) => name,
  );
  expect(svg.match(/M[\d.]+ [\d.]+h0/g)).toHaveLength(3);
  expect(svg).not.toContain('opacity="0.15"');
});
