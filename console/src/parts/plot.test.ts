import { beforeAll, expect, it, vi } from "vitest";
import { entity } from "../test-parts";
import { type Course, joined, options, unitsOf } from "./plot";

const course = (address: string, unit: string, at: number[], mean: number[]): Course => ({
  entity: entity(address, { unit }),
  history: {
    entity: address,
    unit,
    start: 0,
    end: 100_000,
    width_ms: 1000,
    at,
    mean,
    low: mean.map((one) => one - 1),
    high: mean.map((one) => one + 1),
    count: mean.map(() => 1),
  },
});
const air = course("loft/air", "°C", [1000, 2000, 3000], [20, 21, 22]);
const cellar = course("cellar/air", "°C", [2000, 4000], [11, 12]);
const damp = course("cellar/damp", "%", [1000, 2000, 3000], [80, 81, 82]);

const NOTHING = { limits: [], marks: [], doubts: [], over: null };

beforeAll(() => {
  vi.stubGlobal("getComputedStyle", () => ({ getPropertyValue: () => "#123456" }));
});

it("puts several courses on one line of times", () => {
  expect(joined([air, cellar])).toEqual([
    [1, 2, 3, 4],
    [20, 21, 22, undefined],
    [19, 20, 21, undefined],
    [21, 22, 23, undefined],
    [undefined, 11, undefined, 12],
    [undefined, 10, undefined, 11],
    [undefined, 12, undefined, 13],
  ]);
});

it("has an axis for each unit, and a line and a band for each course", () => {
  const how = options(600, [air, cellar, damp], { current: NOTHING });
  expect(unitsOf([air, cellar, damp])).toEqual(["°C", "%"]);
  expect(how.axes?.map((one) => one.scale)).toEqual([undefined, "y °C", "y %"]);
  expect(how.series).toHaveLength(10);
  expect(how.series[4]?.label).toBe("cellar air, mean");
  expect(how.series[7]?.scale).toBe("y %");
  expect(how.bands?.map((one) => one.series)).toEqual([
    [3, 2],
    [6, 5],
    [9, 8],
  ]);
  expect(options(600, [air], { current: NOTHING }).series[1]?.label).toBe("mean");
});

it("draws directions as points from 0 to 360, without a line through the south or a band", () => {
  const wind = { ...course("mast/wind", "°", [1000, 2000], [350, 10]) };
  wind.entity = entity("mast/wind", { unit: "°", drawn: "needle" });
  const how = options(600, [wind], { current: NOTHING });
  expect(how.bands).toEqual([]);
  expect(how.series[1]?.points).toMatchObject({ show: true });
  expect(how.series[1]?.paths?.({} as never, 1, 0, 1)).toBeNull();
  const range = how.scales?.["y °"]?.range as (...given: unknown[]) => [number, number];
  expect(range({}, 10, 350)).toEqual([0, 360]);
});
