// A house's plan as a person types it: one floor a line, its rooms behind a colon.
import type { Floor } from "../../api/client";

export interface Planned {
  name: string;
  rooms: string[];
}

/** The floors from the top, without what is empty or twice. */
export function planOf(typed: string): Planned[] {
  const plan: Planned[] = [];
  for (const line of typed.split("\n")) {
    const [name = "", rooms = ""] = line.split(/:(.*)/);
    if (!name.trim()) continue;
    const known = plan.find((floor) => floor.name.toLowerCase() === name.trim().toLowerCase());
    const floor = known ?? { name: name.trim(), rooms: [] };
    if (!known) plan.push(floor);
    for (const room of rooms.split(",").map((one) => one.trim())) {
      const twice = plan.some((f) => f.rooms.some((r) => r.toLowerCase() === room.toLowerCase()));
      if (room && !twice) floor.rooms.push(room);
    }
  }
  return plan;
}

/** What a house that is there already would have been typed as. */
export function typedOf(floors: Floor[]): string {
  return [...floors]
    .sort((a, b) => b.position - a.position)
    .map((floor) => `${floor.name}: ${floor.rooms.map((room) => room.name).join(", ")}`)
    .join("\n");
}
