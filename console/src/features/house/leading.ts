// Which of a room's values lead: what a person wants to know of a room at a glance.
import type { Entity } from "../../api/client";

const ORDER = [
  ...[
    "leak",
    "smoke",
    "gas",
    "temperature",
    "humidity",
    "co2",
    "contact",
    "occupancy",
    "switch",
    "moisture",
  ],
  ...["illuminance", "pressure", "pm25", "power"],
];
const ALARMS = ["leak", "smoke", "gas"];

/** Some entities of a room, the most telling first, one of each kind. */
export function leading(entities: Entity[], most = 3): Entity[] {
  // What a radiator is to reach is not how warm it is.
  const target = (e: Entity) => e.kind === "temperature" && e.writable;
  const known = entities.filter(
    (e) => ORDER.includes(e.kind) && e.quality !== "none" && !target(e),
  );
  // A room's own temperature goes before that of its soil or its water.
  const plain = (e: Entity) => (e.title.toLowerCase() === e.kind ? 0 : 1);
  known.sort((a, b) => ORDER.indexOf(a.kind) - ORDER.indexOf(b.kind) || plain(a) - plain(b));
  return known
    .filter((entity, place) => known.findIndex((e) => e.kind === entity.kind) === place)
    .slice(0, most);
}

/** What is wrong in a room, in a word or two; empty when all is well. */
export function trouble(entities: Entity[]): string {
  const bad = entities.find((e) => e.quality === "bad");
  if (bad) return bad.reason || "bad";
  const alarm = entities.find((e) => ALARMS.includes(e.kind) && e.value === 1);
  if (alarm) return alarm.words?.[1] ?? alarm.kind;
  const low = entities.find((e) => e.kind === "battery" && e.value !== null && e.value <= 10);
  return low ? "low battery" : "";
}
