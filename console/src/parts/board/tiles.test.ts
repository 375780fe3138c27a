import { expect, test } from "vitest";
import { entity } from "../../test-parts";
import { byPart, inOrder, lastOf, left, tileOf, usualTiles } from "./tiles";

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

const part = (name: string, kind: string, more = {}) =>
  entity(name, { kind, room: "loft", endpoint: "1", role: "lamp", writable: true, ...more });

test("a lamp is one tile, and its battery has its own", () => {
  const lamp = [
    part("lamp/level", "level"),
    part("lamp/switch", "switch"),
    part("lamp/battery", "battery", { writable: false }),
    part("plug/switch", "switch", { role: "outlet" }),
  ];
  expect(usualTiles(lamp, "loft").map((tile) => [tile.sort, tile.of])).toEqual([
    ["endpoint", ["lamp/switch", "lamp/level"]],
    ["value", ["plug/switch"]],
    ["value", ["lamp/battery"]],
  ]);
});

test("the buttons of a remote are one tile; the last one pressed stands for it", () => {
  const button = (number: number, at: number | null) =>
    part(`remote/button-${number}`, "press", {
      endpoint: `${number}`,
      role: "remote",
      writable: false,
      drawn: "marks",
      at,
    });
  const buttons = [button(1, 5), button(2, 9), button(3, null)];
  expect(usualTiles(buttons, "loft").map((tile) => tile.of.length)).toEqual([3]);
  expect(lastOf(buttons)?.entity).toBe("remote/button-2");
});

test("of a thermostat, the measured temperature stands large", () => {
  const thermostat = [
    part("head/mode", "choice", { role: "thermostat" }),
    part("head/target", "temperature", { role: "thermostat" }),
    part("head/temperature", "temperature", { role: "thermostat", writable: false }),
  ];
  expect(inOrder(thermostat).map((one) => one.entity)).toEqual([
    "head/temperature",
    "head/target",
    "head/mode",
  ]);
});

test("a node's values stand part by part, each in its order", () => {
  const two = ["2", "1"].flatMap((endpoint) =>
    ["level", "switch"].map((kind) =>
      entity(`lamp/${kind}-${endpoint}`, { kind, endpoint, role: "lamp", writable: true }),
    ),
  );
  expect(byPart(two).map((one) => one.entity)).toEqual([
    "lamp/switch-1",
    "lamp/level-1",
    "lamp/switch-2",
    "lamp/level-2",
  ]);
});
