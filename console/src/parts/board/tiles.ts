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
};

const ORDER = ["switch", "temperature", "humidity", "co2", "contact", "occupancy"];

function byKind(a: Entity, b: Entity): number {
  const rank = (e: Entity) => (e.kind === "battery" ? 99 : ORDER.indexOf(e.kind) + 1 || 50);
  return rank(a) - rank(b) || a.entity.localeCompare(b.entity);
}

export function tileOf(sort: Sort, of: string[] = []): TileOf {
  return { sort, of, size: USUAL[sort].size, text: "", address: "" };
}

/** The page of a room as it comes by itself: one tile for each value. */
export function usualTiles(entities: Entity[], room: string): TileOf[] {
  return entities
    .filter((entity) => entity.room === room && !entity.hidden)
    .sort(byKind)
    .map((entity) => tileOf("value", [entity.entity]));
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
