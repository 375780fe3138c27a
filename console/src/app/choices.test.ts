import { expect, it } from "vitest";
import { entity, plug } from "../test-parts";
import { choices, matching } from "./choices";

const floors = [
  {
    id: 1,
    name: "Ground",
    position: 0,
    rooms: [{ room: "cellar", name: "Cheese cellar", floor: "Ground", position: 0 }],
  },
];
const all = choices(floors, [], [entity("rack/humidity"), plug(0)], []);

it("offers to switch what can be switched, to the other state", () => {
  expect(all.find((c) => c.key === "switch plug/switch")).toMatchObject({
    label: "plug switch: switch on",
    command: { entity: "plug/switch", to: "on" },
  });
  expect(choices([], [], [plug(1)], [])[0]?.command?.to).toBe("off");
});

it("finds by any of the words, those that begin with it first", () => {
  expect(matching(all, "cheese").map((c) => c.path)).toEqual(["/rooms/cellar"]);
  expect(matching(all, "hum rack").map((c) => c.key)).toEqual(["rack/humidity"]);
  expect(matching(all, "jour")[0]?.path).toBe("/journal");
  expect(matching(all, "zzz")).toEqual([]);
  expect(matching(all, "")).toHaveLength(all.length);
});
