import { expect, test } from "vitest";
import { entity } from "../../test-parts";
import { left, tileOf, usualTiles } from "./tiles";

const all = [
  entity("rack/battery", { kind: "battery", room: "cellar" }),
  entity("rack/humidity", { kind: "humidity", room: "cellar" }),
  entity("rack/secret", { kind: "voltage", room: "cellar", hidden: true }),
  entity("lamp/switch", { kind: "switch", room: "cellar" }),
  entity("loft/humidity", { kind: "humidity", room: "loft" }),
];

test("a room's page has a tile for each value that is not hidden, switches first", () => {
  expect(usualTiles(all, "cellar").map((tile) => tile.of[0])).toEqual([
    "lamp/switch",
    "rack/humidity",
    "rack/battery",
  ]);
});

test("what a page does not show is in the tray, what is hidden too", () => {
  const tiles = [tileOf("values", ["rack/humidity", "lamp/switch"])];
  expect(left(all, tiles, "cellar").map((one) => one.entity)).toEqual([
    "rack/secret",
    "rack/battery",
  ]);
  expect(left(all, tiles, null).map((one) => one.entity)).toContain("loft/humidity");
});
