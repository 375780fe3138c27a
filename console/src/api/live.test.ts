import { QueryClient } from "@tanstack/react-query";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { entity, plug } from "../test-parts";
import type { Entity } from "./client";
import { followLive } from "./live";
import { keys } from "./queries";
import { mergeReadings, notOlder, shown } from "./readings";

class Source {
  static last: Source;
  onopen: (() => void) | null = null;
  onerror: (() => void) | null = null;
  closed = false;
  private listeners = new Map<string, (event: { data: string }) => void>();
  constructor() {
    Source.last = this;
  }
  addEventListener(kind: string, call: (event: { data: string }) => void) {
    this.listeners.set(kind, call);
  }
  close() {
    this.closed = true;
  }
  say(kind: string, data: unknown = {}) {
    this.listeners.get(kind)?.({ data: JSON.stringify(data) });
  }
}

const reading = (address: string, value: number) => ({
  entity: address,
  at: 5000,
  value,
  raw: value,
  quality: "good",
  reason: "",
});

let cache: QueryClient;
let states: string[];
let end: () => void;

beforeEach(() => {
  vi.useFakeTimers();
  cache = new QueryClient();
  states = [];
  end = followLive(
    cache,
    (state) => states.push(state),
    () => new Source() as unknown as EventSource,
  );
});

afterEach(() => {
  end();
  vi.useRealTimers();
});

function visibility(state: string) {
  Object.defineProperty(document, "visibilityState", { value: state, configurable: true });
  document.dispatchEvent(new Event("visibilitychange"));
}

it("puts a reading where the entity is shown, and leaves the others the same objects", () => {
  const before = [entity("rack/humidity", { unit: "%" }), entity("rack/temperature")];
  cache.setQueryData(keys.entities, before);
  Source.last.say("reading", reading("rack/humidity", 81.26));
  vi.advanceTimersByTime(50);
  const after = cache.getQueryData<Entity[]>(keys.entities);
  expect(after?.[0]).toMatchObject({ value: 81.26, shown: "81.3 %", at: 5000, heard_at: 5000 });
  expect(after?.[1]).toBe(before[1]);
});

it("draws once for many readings", () => {
  cache.setQueryData(keys.entities, [entity("rack/humidity")]);
  const drawn = vi.spyOn(cache, "setQueryData");
  for (let n = 0; n < 100; n++) Source.last.say("reading", reading("rack/humidity", n));
  vi.advanceTimersByTime(50);
  expect(drawn.mock.calls.filter(([key]) => key === keys.entities)).toHaveLength(1);
  expect(cache.getQueryData<Entity[]>(keys.entities)?.[0]?.value).toBe(99);
});

it("asks anew for what an event made stale", () => {
  const stale = vi.spyOn(cache, "invalidateQueries");
  Source.last.say("arrival");
  expect(stale.mock.calls.map(([filter]) => filter?.queryKey)).toEqual([keys.arrivals, keys.house]);
});

it("asks anew for what may have changed before there was a stream, but not for the past", () => {
  for (const key of [keys.zigbee, keys.entities, keys.history("rack/humidity", "day")])
    cache.setQueryData(key, {});
  Source.last.onopen?.();
  const stale = (key: readonly string[]) => cache.getQueryState(key)?.isInvalidated;
  expect([
    stale(keys.zigbee),
    stale(keys.entities),
    stale(keys.history("rack/humidity", "day")),
  ]).toEqual([true, true, false]);
});

it("asks for everything anew after events were missed, and after the connection was lost", () => {
  Source.last.onopen?.();
  const stale = vi.spyOn(cache, "invalidateQueries");
  Source.last.say("reset");
  expect(stale).toHaveBeenCalledTimes(1);
  Source.last.onerror?.();
  Source.last.onopen?.();
  expect(stale).toHaveBeenCalledTimes(2);
  expect(states).toEqual(["open", "lost", "open"]);
});

it("gives its connection back while nobody looks", () => {
  const first = Source.last;
  visibility("hidden");
  expect(first.closed).toBe(true);
  visibility("visible");
  expect(Source.last).not.toBe(first);
});

it("shows values in the hub's own words", () => {
  expect(shown(1, plug(1))).toBe("on");
  expect(shown(0, plug(0))).toBe("off");
  expect(shown(null, plug(null))).toBe("–");
  expect(shown(412.4, { unit: "ppm", decimals: 0, words: null })).toBe("412 ppm");
});

it("never moves the time last heard backwards", () => {
  const [merged] = mergeReadings(
    [entity("rack/humidity", { heard_at: 9000 })],
    new Map([["rack/humidity", { ...reading("rack/humidity", 1), quality: "good" as const }]]),
  );
  expect(merged?.heard_at).toBe(9000);
});

it("lets no answer that was on its way undo a newer reading", () => {
  const fetched = entity("cellar-rack/temperature", { at: 4000, value: 11 });
  Source.last.say("reading", reading(fetched.entity, 12.5));
  expect(notOlder(fetched).value).toBe(12.5);
  expect(notOlder({ ...fetched, at: 6000 }).value).toBe(11);
  Source.last.onerror?.();
  expect(notOlder(fetched).value).toBe(11);
});
