// Readings as the live stream brings them, and putting them into what was fetched.
import { length } from "../ui/time";
import type { Entity, Schemas } from "./client";

export type LiveReading = Schemas["ReadingNews"];

/** A value as people read it; the same as the hub's own words. */
export function shown(
  value: number | null | undefined,
  entity: Pick<Entity, "unit" | "decimals" | "words"> & Partial<Pick<Entity, "drawn">>,
): string {
  if (value === null || value === undefined) return "–";
  if (entity.words) return entity.words[Math.round(value)] ?? `${Math.round(value)}`;
  if (entity.drawn === "marks")
    return `${Math.abs(value).toFixed(entity.decimals)} ${entity.unit} ${value < 0 ? "left" : "right"}`;
  if (entity.unit === "s" && Math.abs(value) >= 60)
    return (value < 0 ? "-" : "") + length(Math.abs(value) * 1000);
  return `${value.toFixed(entity.decimals)} ${entity.unit}`.trim();
}

/** Since when its state is what it is, now that a reading has come. */
function sinceOf(entity: Entity, reading: LiveReading): number | null {
  if (!entity.words || entity.drawn === "marks") return null;
  return reading.value === entity.value ? entity.since : reading.at;
}

/** The entity with this reading, unless it has a newer one. */
export function withReading<T extends Entity>(entity: T, reading: LiveReading): T {
  // One of the same time is the same reading, as it is seen now.
  if (reading.at <= (entity.at ?? 0)) return entity;
  return {
    ...entity,
    value: reading.value,
    raw: reading.raw,
    quality: reading.quality,
    reason: reading.reason,
    at: reading.at,
    heard_at: Math.max(entity.heard_at ?? 0, reading.at),
    since: sinceOf(entity, reading),
    shown: shown(reading.value, entity),
  };
}

/**
 * Put readings into the list of entities; the others stay the same objects, so only
 * what changed is drawn again.
 */
export function mergeReadings(entities: Entity[], readings: Map<string, LiveReading>): Entity[] {
  return entities.map((entity) => {
    const reading = readings.get(entity.entity);
    return reading ? withReading(entity, reading) : entity;
  });
}

/** The last reading of each entity that the stream has brought since it was opened. */
export const heard = new Map<string, LiveReading>();

/**
 * What was fetched, unless the stream was quicker: an answer that was on its way must
 * not undo a newer reading.
 */
export function notOlder<T extends Entity>(entity: T): T {
  const reading = heard.get(entity.entity);
  return reading ? withReading(entity, reading) : entity;
}
