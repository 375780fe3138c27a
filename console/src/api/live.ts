// The live stream: one connection a tab, closed while nobody looks, which keeps the
// query cache fresh.
import type { QueryClient } from "@tanstack/react-query";
import { hubTime } from "../ui/time";
import { type Entity, type EntityDetail, position, type Schemas } from "./client";
import { keys } from "./queries";
import { heard, type LiveReading, mergeReadings, withReading } from "./readings";
import { refetchNode } from "./refetch";

type Stale = readonly (readonly string[])[];
type NodeNews = Schemas["NodeNews"];
type HouseNews = Schemas["HouseNews"];

const NODES: Stale = [keys.nodes, keys.entities, keys.house, ["entity"]];
const STALE: Record<string, Stale> = {
  rooms: [...NODES, keys.dashboards, keys.scenes, keys.sequences],
  house: [keys.house, keys.pairing, keys.zigbee, keys.doctor],
  arrival: [keys.arrivals, keys.house],
  pairing: [keys.pairing],
  automation: [keys.automations, keys.house, ["entity"]],
  journal: [keys.journal],
  notice: [keys.notices, keys.house],
  phone: [keys.contacts, keys.house],
  account: [keys.mqttAccounts, keys.tokens],
};

const SHOWN_WITHIN_MS = 30;
const SHOWN_EVERY_MS = 250;
const LIFELESS_MS = 40_000;
const PAUSES_MS = [1_000, 2_000, 5_000, 10_000, 30_000];

export type LiveState = "connecting" | "open" | "lost";

/** Follow the stream; returns the way to end it. */
export function followLive(
  cache: QueryClient,
  onState: (state: LiveState) => void,
  makeSource: (url: string) => EventSource = (url) => new EventSource(url),
): () => void {
  let source: EventSource | null = null;
  let failures = 0;
  let again = 0;
  let lifeless = 0;
  let last = position.first;
  let pending = new Map<string, LiveReading>();
  let frame = 0;
  let flushed = 0;
  const changed = new Set<string>();
  let soon = 0;

  function flush() {
    frame = 0;
    flushed = Date.now();
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
    source.onopen = () => {
      failures = 0;
      alive();
      onState("open");
    };
    source.onerror = lost;
    alive();
    listen("beat", (data) => {
      hubTime.aheadMs = (data as Schemas["BeatNews"]).now - Date.now();
    });
    listen("reading", (data) => {
      const reading = data as LiveReading;
      pending.set(reading.entity, reading);
      heard.set(reading.entity, reading);
      // The first one is shown at once, a stream of them four times a second. A timer,
      // not an animation frame: those wait while the window is covered.
      const wait = Math.max(SHOWN_WITHIN_MS, flushed + SHOWN_EVERY_MS - Date.now());
      frame ||= window.setTimeout(flush, wait);
    });
    listen("node", (data) => {
      const { node, change } = data as NodeNews;
      if (change !== "changed") stale([...NODES, keys.arrivals]);
      changed.add(node);
      soon ||= window.setTimeout(refetch, 50);
    });
    for (const [kind, what] of Object.entries(STALE))
      listen(kind, (data) => {
        // Other settings can be other units: every number on the screen is another.
        const units = kind === "house" && (data as HouseNews).what === "SettingsTakenUp";
        if (units) void cache.invalidateQueries();
        else stale(what);
      });
    listen("reset", () => void cache.invalidateQueries());
  }

  function listen(kind: string, call: (data: unknown) => void) {
    source?.addEventListener(kind, (event) => {
      last = event.lastEventId || last;
      alive();
      call(JSON.parse(event.data));
    });
  }

  function stale(what: Stale) {
    for (const queryKey of what) void cache.invalidateQueries({ queryKey });
  }

  /** The stream says something at least every 15 s: silence is a hub that hangs. */
  function alive() {
    window.clearTimeout(lifeless);
    lifeless = window.setTimeout(lost, LIFELESS_MS);
  }

  /** A browser gives a stream up for good after some failures: it is opened again. */
  function lost() {
    close();
    onState("lost");
    const pause = PAUSES_MS[Math.min(failures, PAUSES_MS.length - 1)] ?? 0;
    failures += 1;
    again = window.setTimeout(open, pause * (0.75 + Math.random() / 2));
  }

  function close() {
    window.clearTimeout(again);
    window.clearTimeout(lifeless);
    source?.close();
    source = null;
    heard.clear();
  }

  // Browsers allow six connections to one hub: a hidden tab gives its stream back.
  function onVisibility() {
    if (document.visibilityState === "hidden") close();
    else open();
  }

  function onOnline() {
    failures = 0;
    window.clearTimeout(again);
    open();
  }

  open();
  document.addEventListener("visibilitychange", onVisibility);
  window.addEventListener("online", onOnline);
  return () => {
    document.removeEventListener("visibilitychange", onVisibility);
    window.removeEventListener("online", onOnline);
    window.clearTimeout(frame);
    window.clearTimeout(soon);
    close();
  };
}
