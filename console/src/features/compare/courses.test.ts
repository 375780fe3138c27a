import { expect, it } from "vitest";
import type { Entity } from "../../api/client";
import { differenceOf, ofBothRooms, shifted } from "./courses";

const course = (start: number, at: number[], mean: number[]) => ({
  entity: "loft-beam/temperature",
  unit: "°C",
  start,
  end: start + 1000,
  width_ms: 100,
  at,
  mean,
  low: mean,
  high: mean,
  count: mean.map(() => 2),
});

it("subtracts bucket by bucket, and leaves out what only one has", () => {
  const inside = course(0, [50, 150, 350], [20, 21, 23]);
  const outside = course(0, [50, 250, 350], [5, 6, 4]);
  expect(differenceOf(inside, outside)).toMatchObject({ at: [50, 350], mean: [15, 19] });
});

it("subtracts what was earlier once it is moved to now", () => {
  const now = course(10_000, [10_050, 10_150], [20, 21]);
  const before = shifted(course(3_000, [3_050, 3_150], [18, 18]), now.start);
  expect([before.start, before.end]).toEqual([10_000, 11_000]);
  expect(differenceOf(now, before)).toMatchObject({ at: [10_050, 10_150], mean: [2, 3] });
});

it("finds what two rooms have both, the first kinds first, of two units at most", () => {
  const of = (room: string, name: string, unit: string, more: Partial<Entity> = {}) =>
    ({
      entity: `${room}/${name}`,
      kind: name,
      room,
      unit,
      words: null,
      hidden: false,
      ...more,
    }) as Entity;
  const all = [
    of("loft", "pressure", "hPa"),
    of("loft", "humidity", "%"),
    of("loft", "temperature", "°C"),
    of("loft", "door", "", { words: ["closed", "open"] }),
    of("cellar", "temperature", "°C", { hidden: true, entity: "cellar/case" }),
    of("cellar", "temperature", "°C"),
    of("cellar", "humidity", "%"),
    of("cellar", "pressure", "hPa"),
    of("cellar", "door", "", { words: ["closed", "open"] }),
  ];
  expect(ofBothRooms(all, "loft", "cellar")).toEqual([
    "loft/temperature",
    "cellar/temperature",
    "loft/humidity",
    "cellar/humidity",
  ]);
  expect(ofBothRooms(all, "loft", "attic")).toEqual([]);
});
