import { QueryClient } from "@tanstack/react-query";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { entity, fakeHub, node, plug } from "../test-parts";
import { hubNow, hubTime } from "../ui/time";
import { type Entity, type HubNode, position } from "./client";
import { followLive } from "./live";
import { keys } from "./queries";
import { type LiveReading, mergeReadings, notOlder, shown, withReading } from "./readings";

type Said = { data: string; lastEventId: string };

class Source {
  static last: Source;
  onopen: (() => void) | null = null;
  onerror: (() => void) | null = null;
  closed = false;
  private listeners = new Map<string, (event: Said) => void>();
  constructor(readonly url: string) {
    Source.last = this;
  }
  addEventListener(kind: string, call: (event: Said) => void) {
    this.listeners.set(kind, call);
  }
  close() {
    this.closed = true;
  }
  say(kind: string, data: unknown = {}, lastEventId = "") {
    this.listeners.get(kind)?.({ data: JSON.stringify(data), lastEventId });
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
  position.first = "cafe-7";
  states = [];
  end = followLive(
    cache,
    (state) => states.push(state),
    (url) => new Source(url) as unknown as EventSource,
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

it("asks again for what an event made stale", () => {
  const stale = vi.spyOn(cache, "invalidateQueries");
  Source.last.say("arrival");
  expect(stale.mock.calls.map(([filter]) => filter?.queryKey)).toEqual([keys.arrivals, keys.house]);
});

it("begins where the first answer was made, and fetches nothing twice", () => {
  expect(Source.last.url).toBe("/api/live?after=cafe-7");
  const stale = vi.spyOn(cache, "invalidateQueries");
  Source.last.onopen?.();
  expect(stale).not.toHaveBeenCalled();
});

it("asks for everything again only after events were missed", () => {
  Source.last.onopen?.();
  const stale = vi.spyOn(cache, "invalidateQueries");
  Source.last.onerror?.();
  Source.last.onopen?.();
  expect(stale).not.toHaveBeenCalled();
  Source.last.say("reset");
  expect(stale).toHaveBeenCalledTimes(1);
  expect(states).toEqual(["open", "lost", "open"]);
});

it("opens a stream again that the browser gave up, with growing pauses", () => {
  const opened = [Source.last];
  for (const pause of [1_000, 2_000, 5_000, 10_000, 30_000, 30_000]) {
    Source.last.onerror?.();
    vi.advanceTimersByTime(pause * 0.7);
    expect(Source.last).toBe(opened.at(-1));
    vi.advanceTimersByTime(pause * 0.6);
    expect(Source.last).not.toBe(opened.at(-1));
    opened.push(Source.last);
  }
  expect(opened.slice(0, -1).every((one) => one.closed)).toBe(true);
  Source.last.onopen?.();
  Source.last.onerror?.();
  vi.advanceTimersByTime(1_300);
  expect(Source.last).not.toBe(opened.at(-1));
});

it("takes a hub that says nothing for one that hangs", () => {
  const first = Source.last;
  first.onopen?.();
  for (let n = 0; n < 4; n++) {
    vi.advanceTimersByTime(15_000);
    first.say("beat", { now: Date.now() });
  }
  expect(states).toEqual(["open"]);
  vi.advanceTimersByTime(41_000);
  expect(states).toEqual(["open", "lost"]);
  vi.advanceTimersByTime(1_300);
  expect(Source.last).not.toBe(first);
});

it("learns how far the hub's clock is ahead", () => {
  Source.last.say("beat", { now: Date.now() + 90_000 });
  expect(hubNow() - Date.now()).toBe(90_000);
  hubTime.aheadMs = 0;
});

it("shows a stream of readings four times a second, and a lone one at once", () => {
  cache.setQueryData(keys.entities, [entity("rack/humidity")]);
  const drawn = vi.spyOn(cache, "setQueryData");
  const count = () => drawn.mock.calls.filter(([key]) => key === keys.entities).length;
  for (let n = 0; n < 200; n++) {
    Source.last.say("reading", reading("rack/humidity", n));
    vi.advanceTimersByTime(10);
  }
  expect(count()).toBeGreaterThan(6);
  expect(count()).toBeLessThanOrEqual(9);
  vi.advanceTimersByTime(5_000);
  const before = count();
  Source.last.say("reading", reading("rack/humidity", 1));
  vi.advanceTimersByTime(31);
  expect(count()).toBe(before + 1);
});

it("gives its connection back while nobody looks, and goes on where it was", () => {
  const first = Source.last;
  first.say("journal", {}, "cafe-31");
  visibility("hidden");
  expect(first.closed).toBe(true);
  visibility("visible");
  expect(Source.last).not.toBe(first);
  expect(Source.last.url).toBe("/api/live?after=cafe-31");
});

it("asks again for the node that changed, and for no other", async () => {
  const rack = node("rack", { title: "Rack" });
  const before = [node("plug", { title: "Plug" }), rack];
  cache.setQueryData(keys.nodes, before);
  cache.setQueryData(keys.entities, [plug(1), entity("rack/humidity")]);
  const asked = fakeHub({
    "GET /api/nodes/rack": { body: { ...rack, title: "Cheese rack" } },
    "GET /api/entities": { body: [entity("rack/humidity", { title: "Air" })] },
  });
  for (let n = 0; n < 5; n++)
    Source.last.say("node", { node: "rack", entity: "", change: "changed" });
  await vi.advanceTimersByTimeAsync(100);
  expect(asked.map((one) => one.what)).toEqual(["GET /api/nodes/rack", "GET /api/entities"]);
  const after = cache.getQueryData<HubNode[]>(keys.nodes);
  expect(after?.map((one) => one.title)).toEqual(["Plug", "Cheese rack"]);
  expect(after?.[0]).toBe(before[0]);
  expect(cache.getQueryData<Entity[]>(keys.entities)?.[1]?.title).toBe("Air");
  expect(cache.getQueryState(keys.nodes)?.isInvalidated).toBe(false);
});

it("asks for the whole list when a node came or went", () => {
  cache.setQueryData(keys.nodes, []);
  Source.last.say("node", { node: "rack", entity: "", change: "added" });
  expect(cache.getQueryState(keys.nodes)?.isInvalidated).toBe(true);
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

it("knows since when a state is what it is", () => {
  const door = entity("shed/door", {
    words: ["closed", "open"],
    drawn: "states",
    value: 0,
    at: 10,
    since: 10,
  });
  const said = (value: number, at: number) =>
    ({ ...reading("shed/door", value), at }) as LiveReading;
  const open = withReading(door, said(1, 50));
  expect(open.since).toBe(50);
  expect(withReading(open, said(1, 90)).since).toBe(50);
  const measured = { ...door, words: null, drawn: "line" as const, since: null };
  expect(withReading(measured, said(1, 50)).since).toBeNull();
});
