// The tiles of a page: those that come by themselves, and what can be put beside them.
import type { Dashboard, Entity, TileOf } from "../../api/client";

export type { TileOf };
export type Sort = TileOf["sort"];
export type Size = TileOf["size"];

export const SIZES: Size[] = ["small", "wide", "tall", "large"];
export const SPANS: Record<Size, string> = {
  small: "",
  wide: "sm:col-span-2",
  tall: "row-span-2",
  large: "row-span-2 sm:col-span-2",
};
/** How large a tile is when it is put somewhere, and how many values it has at most. */
export const USUAL: Record<Sort, { name: string; size: Size; most: number }> = {
  value: { name: "A value", size: "small", most: 1 },
  values: { name: "Several values", size: "small", most: 12 },
  curve: { name: "A curve", size: "wide", most: 1 },
  compare: { name: "A comparison", size: "large", most: 8 },
  text: { name: "A text", size: "small", most: 0 },
  picture: { name: "A picture", size: "large", most: 4 },
  scene: { name: "A scene", size: "small", most: 0 },
  endpoint: { name: "A lamp, a blind …", size: "small", most: 12 },
};

const ORDER = ["switch", "temperature", "humidity", "co2", "contact", "occupancy"];

function byKind(a: Entity, b: Entity): number {
  const rank = (e: Entity) => (e.kind === "battery" ? 99 : ORDER.indexOf(e.kind) + 1 || 50);
  return rank(a) - rank(b) || a.entity.localeCompare(b.entity);
}

export function tileOf(sort: Sort, of: string[] = []): TileOf {
  return { sort, of, size: USUAL[sort].size, text: "", address: "" };
}

// The roles whose values belong together on one tile, and the order of these.
const MAIN: Partial<Record<Entity["role"], string[]>> = {
  lamp: ["switch", "level", "white", "hue", "saturation"],
  covering: ["position", "tilt"],
  thermostat: ["temperature", "choice", "activity", "level"],
  remote: ["press", "turn"],
  fan: ["choice"],
};
const OWN_TILE = ["battery", "reception", "signal", "voltage"];

/**
 * The values of a part of a node in their order. The first stands for it: what it is for;
 * of two temperatures, the measured one.
 */
export function inOrder(entities: Entity[]): Entity[] {
  const kinds = MAIN[entities[0]?.role ?? "sensor"] ?? [];
  const rank = (one: Entity) => kinds.indexOf(one.kind) + 1 || 99;
  return [...entities].sort((a, b) => rank(a) - rank(b) || Number(a.writable) - Number(b.writable));
}

/** All values of a node: each part of it after the other, in its order. */
export function byPart(entities: Entity[]): Entity[] {
  const parts = [...new Set(entities.map((one) => one.endpoint))];
  // What belongs to no part, like how well it is heard, comes last.
  parts.sort((a, b) => Number(a === "") - Number(b === "") || a.localeCompare(b));
  return parts.flatMap((part) => inOrder(entities.filter((one) => one.endpoint === part)));
}

/** More than so many make a tile tall. */
const MOST_SMALL = 3;

/** What happened last, of several that happen. */
export const lastOf = (entities: Entity[]) =>
  [...entities].sort((a, b) => (b.at ?? 0) - (a.at ?? 0))[0];

/** The part of a node that a value is shown with; "" where it has a tile of its own. */
function partOf(entity: Entity): string {
  if (!entity.endpoint || !MAIN[entity.role] || OWN_TILE.includes(entity.kind)) return "";
  return entity.role === "remote" ? entity.node : `${entity.node} ${entity.endpoint}`;
}

/** The page of a room as it comes by itself: a tile for each value, and one for what
 * belongs together. */
export function usualTiles(entities: Entity[], room: string): TileOf[] {
  const here = entities.filter((one) => one.room === room && !one.hidden).sort(byKind);
  const parts = new Map<string, Entity[]>();
  for (const one of here) {
    const part = partOf(one);
    if (part) parts.set(part, [...(parts.get(part) ?? []), one]);
  }
  return here.flatMap((one) => {
    const all = parts.get(partOf(one)) ?? [];
    if (all.length < 2) return [tileOf("value", [one.entity])];
    if (all[0] !== one) return [];
    const tile = tileOf(
      "endpoint",
      inOrder(all).map((each) => each.entity),
    );
    return [{ ...tile, size: all.length > MOST_SMALL ? "tall" : "small" }];
  });
}

/** The page that somebody has arranged for a room. */
export const roomBoard = (all: Dashboard[] | undefined, room: string) =>
  all?.find((one) => one.room === room);

/** The values that a page does not show, those of its room first. */
export function left(entities: Entity[], tiles: TileOf[], room: string | null): Entity[] {
  const shown = new Set(tiles.flatMap((tile) => tile.of));
  return entities
    .filter((one) => !shown.has(one.entity) && (room === null || one.room === room))
    .sort(byKind);
}
