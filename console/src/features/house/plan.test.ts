import { expect, it } from "vitest";
import { planOf, typedOf } from "./plan";

it("reads a floor a line, and nothing twice", () => {
  expect(planOf("Loft: Bedroom, Bath,\n\nGround: Hall , hall\nloft: Study\n: Nowhere")).toEqual([
    { name: "Loft", rooms: ["Bedroom", "Bath", "Study"] },
    { name: "Ground", rooms: ["Hall"] },
  ]);
});

it("is empty for nothing", () => {
  expect(planOf(" \n : ")).toEqual([]);
});

it("comes back as it was typed", () => {
  const typed = "Upper floor: Bath, Bedroom\nGround floor: ";
  const floors = planOf(typed).map((floor, place) => ({
    id: place,
    name: floor.name,
    position: 1 - place,
    rooms: floor.rooms.map((name, position) => ({
      room: name.toLowerCase(),
      name,
      floor: floor.name,
      position,
    })),
  }));
  expect(typedOf(floors)).toBe(typed);
});
