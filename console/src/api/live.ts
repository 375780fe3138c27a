// The live stream: one connection a tab, closed while nobody looks, which keeps the query cache fresh.
import type { QueryClient } from "@tanstack/react-query";
import type { Entity, EntityDetail } from "./client";
import { keys } from "./queries";

export interface LiveReading {
  entity: string;
  at: number;
  value: number;
  raw: number;
  quality: Entity["quality"];
  reason: string;
}

/** A value as people read it; the same as the hub's own words. */
export function shown(value: number | null | undefined, entity: Pick<Entity, "unit" | "decimals" | "words">): string {
  if (value === null || value === undefined) return "–";
  if (entity.words) return entity.words[value >= 0.5 ? 1 : 0] ?? "";
  return `${value.toFixed(entity.decimals)} ${entity.unit}`.trim();
}

function withReading<T extends Entity>(entity: T, reading: LiveReading): T {
  return {
    ...entity,
    value: reading.value,
    raw: reading.raw,
    quality: reading.quality,
    reason: reading.reason,
    at: reading.at,
    heard_at: Math.max(entity.heard_at, reading.at),
    shown: shown(reading.value, entity),
  };
}

/** Put readings into the list of entities; the others stay the same objects, so only what changed is drawn again. */
export function mergeReadings(entities: Entity[], readings: Map<string, LiveReading>): Entity[] {
  return entities.map((entity) => {
    const reading = readings.get(entity.entity);
    return reading ? withReading(entity, reading) : entity;
  });
}

const REFRESH: Record<string, readonly (readonly string[])[]> = {
  house: [keys.house, keys.nodes, keys.entities, ["entity"], keys.automations],
  node: [keys.nodes, keys.entities, keys.house],
  arrival: [keys.arrivals, keys.house],
  pairing: [keys.pairing],
  automation: [keys.automations, keys.house, ["entity"]],
  journal: [keys.journal],
  notice: [keys.notices, keys.house],
  phone: [keys.phones, keys.house],
};

export type LiveState = "connecting" | "open" | "lost";

/** Follow the stream; returns the way to end it. */
export function followLive(
  cache: QueryClient,
  onState: (state: LiveState) => void,
  makeSource: (url: string) => EventSource = (url) => new EventSource(url),
): () => void {
  let source: EventSource | null = null;
  let pending = new Map<string, LiveReading>();
  let frame = 0;
  let dropped = false;

  function flush() {
    frame = 0;
    const readings = pending;
    pending = new Map();
    cache.setQueryData<Entity[]>(keys.entities, (list) => list && mergeReadings(list, readings));
    for (const [address, reading] of readings) {
      cache.setQueryData<EntityDetail>(keys.entity(address), (one) => one && withReading(one, reading));
    }
  }

  function open() {
    if (source) return;
    source = makeSource("/api/live");
    source.onopen = () => {
      onState("open");
      if (dropped) void cache.invalidateQueries();
      dropped = false;
    };
    source.onerror = () => {
      dropped = true;
      onState("lost");
    };
    source.addEventListener("reading", (event) => {
      const reading = JSON.parse(event.data) as LiveReading;
      pending.set(reading.entity, reading);
      // A timer, not an animation frame: those wait while the window is covered.
      frame ||= window.setTimeout(flush, 30);
    });
    for (const [kind, stale] of Object.entries(REFRESH)) {
      source.addEventListener(kind, () => {
        for (const queryKey of stale) void cache.invalidateQueries({ queryKey });
      });
    }
    source.addEventListener("reset", () => void cache.invalidateQueries());
  }

  function close() {
    source?.close();
    source = null;
  }

  // Browsers allow six connections to one hub: a hidden tab gives its stream back.
  function onVisibility() {
    if (document.visibilityState === "hidden") {
      close();
      dropped = true;
    } else open();
  }

  open();
  document.addEventListener("visibilitychange", onVisibility);
  return () => {
    document.removeEventListener("visibilitychange", onVisibility);
    window.clearTimeout(frame);
    close();
  };
}
