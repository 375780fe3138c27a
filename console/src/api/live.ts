// The live stream: one connection a tab, closed while nobody looks, which keeps the
// query cache fresh.
import type { QueryClient } from "@tanstack/react-query";
import { type Entity, type EntityDetail, position, type Schemas } from "./client";
import { keys } from "./queries";
import { heard, type LiveReading, mergeReadings, withReading } from "./readings";
import { refetchNode } from "./refetch";

type Stale = readonly (readonly string[])[];
type NodeNews = Schemas["NodeNews"];

const NODES: Stale = [keys.nodes, keys.entities, keys.house, ["entity"]];
const STALE: Record<string, Stale> = {
  rooms: NODES,
  house: [keys.house, keys.pairing, keys.zigbee, keys.doctor],
  arrival: [keys.arrivals, keys.house],
  pairing: [keys.pairing],
  automation: [keys.automations, keys.house, ["entity"]],
  journal: [keys.journal],
  notice: [keys.notices, keys.house],
  phone: [keys.phones, keys.house],
  tool: [keys.tools, keys.tokens],
};

export type LiveState = "connecting" | "open" | "lost";

/** Follow the stream; returns the way to end it. */
export function followLive(
  cache: QueryClient,
  onState: (state: LiveState) => void,
  makeSource: (url: string) => EventSource = (url) => new EventSource(url),
): () => void {
  let source: EventSource | null = null;
  let last = position.first;
  let pending = new Map<string, LiveReading>();
  let frame = 0;
  const changed = new Set<string>();
  let soon = 0;

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

  function refetch() {
    soon = 0;
    for (const node of changed) void refetchNode(cache, node);
    changed.clear();
    void cache.invalidateQueries({ queryKey: keys.house });
  }

  function open() {
    if (source) return;
    // From where the first answer was made, or from where the tab was left: the hub tells
    // what came since, or that it was too much (`reset`).
    source = makeSource(last ? `/api/live?after=${encodeURIComponent(last)}` : "/api/live");
    source.onopen = () => onState("open");
    source.onerror = () => {
      heard.clear();
      onState("lost");
    };
    listen("reading", (data) => {
      const reading = data as LiveReading;
      pending.set(reading.entity, reading);
      heard.set(reading.entity, reading);
      // A timer, not an animation frame: those wait while the window is covered.
      frame ||= window.setTimeout(flush, 30);
    });
    listen("node", (data) => {
      const { node, change } = data as NodeNews;
      if (change !== "changed") stale([...NODES, keys.arrivals]);
      changed.add(node);
      soon ||= window.setTimeout(refetch, 50);
    });
    for (const [kind, what] of Object.entries(STALE)) listen(kind, () => stale(what));
    listen("reset", () => void cache.invalidateQueries());
  }

  function listen(kind: string, call: (data: unknown) => void) {
    source?.addEventListener(kind, (event) => {
      last = event.lastEventId || last;
      call(JSON.parse(event.data));
    });
  }

  function stale(what: Stale) {
    for (const queryKey of what) void cache.invalidateQueries({ queryKey });
  }

  function close() {
    source?.close();
    source = null;
    heard.clear();
  }

  // Browsers allow six connections to one hub: a hidden tab gives its stream back.
  function onVisibility() {
    if (document.visibilityState === "hidden") close();
    else open();
  }

  open();
  document.addEventListener("visibilitychange", onVisibility);
  return () => {
    document.removeEventListener("visibilitychange", onVisibility);
    window.clearTimeout(frame);
    window.clearTimeout(soon);
    close();
  };
}
