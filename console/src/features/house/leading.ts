// Which of a room's values lead: what a person wants to know of a room at a glance.
import type { Entity } from "../../api/client";

const ORDER = ["temperature", "humidity", "co2", "contact", "occupancy", "switch", "illuminance", "pressure", "power"];

/** Up to three entities of a room, the most telling first, one of each kind. */
export function leading(entities: Entity[]): Entity[] {
  const known = entities.filter((e) => ORDER.includes(e.kind) && e.quality !== "none");
  known.sort((a, b) => ORDER.indexOf(a.kind) - ORDER.indexOf(b.kind));
  return known.filter((entity, place) => known.findIndex((e) => e.kind === entity.kind) === place).slice(0, 3);
}

/** What is wrong in a room, in a word or two; empty when all is well. */
export function trouble(entities: Entity[]): string {
  const bad = entities.find((e) => e.quality === "bad");
  if (bad) return bad.reason || "bad";
  const low = entities.find((e) => e.kind === "battery" && e.value !== null && e.value <= 10);
  return low ? "low battery" : "";
}
