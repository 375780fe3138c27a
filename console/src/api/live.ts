// The live stream: one connection a tab, closed while nobody looks, which keeps the
// query cache fresh.
import type { QueryClient } from "@tanstack/react-query";
import type { Entity, EntityDetail } from "./client";
import { keys } from "./queries";
import { heard, type LiveReading, mergeReadings, withReading } from "./readings";

const REFRESH: Record<string, readonly (readonly string[])[]> = {
  house: [keys.house, keys.nodes, keys.entities, ["entity"], keys.automations],
  node: [keys.nodes, keys.entities, keys.house],
  arrival: [keys.arrivals, keys.house],
  pairing: [keys.pairing],
  automation: [keys.automations, keys.house, ["entity"]],
  link: [keys.zigbee, keys.pairing, keys.house],
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
      cache.setQueryData<EntityDetail>(
        keys.entity(address),
        (one) => one && withReading(one, reading),
      );
    }
  }

  function open() {
    if (source) return;
    source = makeSource("/api/live");
    source.onopen = () => {
      onState("open");
      if (dropped) void cache.invalidateQueries();
      // What was asked before there was a stream may have changed in between, and
      // nobody would say so again.
      else
        for (const queryKey of new Set(Object.values(REFRESH).flat()))
          void cache.invalidateQueries({ queryKey });
      dropped = false;
    };
    source.onerror = () => {
      dropped = true;
      heard.clear();
      onState("lost");
    };
    source.addEventListener("reading", (event) => {
      const reading = JSON.parse(event.data) as LiveReading;
      pending.set(reading.entity, reading);
      heard.set(reading.entity, reading);
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
    heard.clear();
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
