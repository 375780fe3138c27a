// What several tests use: entities, and a page with a hub of the test's own.
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import type { ReactNode } from "react";
import { MemoryRouter } from "react-router";
import { vi } from "vitest";
import type { Entity, HubNode } from "./api/client";

export function entity(address: string, change: Partial<Entity> = {}): Entity {
  const [node = "", name = ""] = address.split("/");
  return {
    entity: address,
    node,
    link: "wifi",
    title: name[0]?.toUpperCase() + name.slice(1),
    spoken: `${node} ${name}`,
    kind: name,
    unit: name === "humidity" ? "%" : "°C",
    decimals: 1,
    words: null,
    drawn: "line",
    endpoint: "",
    role: "sensor",
    room: "cellar",
    writable: false,
    hidden: false,
    picked: "",
    low: 0,
    high: 100,
    wire_name: name,
    wire_unit: "Cel",
    value: 20,
    raw: 20,
    shown: "20.0 °C",
    quality: "good",
    reason: "",
    at: 1000,
    since: null,
    heard_at: 1000,
    wanted: null,
    left_alone: false,
    ...change,
  };
}

export function node(address: string, change: Partial<HubNode> = {}): HubNode {
  return {
    node: address,
    title: address,
    link: "wifi",
    room: "cellar",
    here: true,
    silent: false,
    heard_at: 1000,
    admitted_at: 0,
    refused: 0,
    entities: [],
    way: "senml",
    left: false,
    make: "",
    url: "",
    has_key: true,
    shut_out: "",
    clock: "",
    settings: [],
    actions: [],
    left_out: [],
    unit_notes: [],
    ...change,
  };
}

export const plug = (value: number | null) =>
  entity("plug/switch", {
    kind: "switch",
    unit: "",
    words: ["off", "on"],
    drawn: "states",
    writable: true,
    value,
    shown: value === null ? "" : value ? "on" : "off",
  });

type Answer =
  | { status?: number; body?: unknown }
  | ((body: unknown) => { status?: number; body?: unknown });

/** A hub that answers as told; `asked` is what it was asked. */
export function fakeHub(answers: Record<string, Answer>) {
  const asked: { what: string; body: unknown }[] = [];
  vi.stubGlobal("fetch", async (input: Request) => {
    const what = `${input.method} ${new URL(input.url).pathname}`;
    const text = await input.text();
    const body = text ? JSON.parse(text) : null;
    asked.push({ what, body });
    const found = answers[what];
    if (!found) throw new TypeError(`nobody answers ${what}`);
    const { status = 200, body: said = {} } = typeof found === "function" ? found(body) : found;
    return new Response(status === 204 ? null : JSON.stringify(said), {
      status,
      headers: { "Content-Type": status >= 400 ? "application/problem+json" : "application/json" },
    });
  });
  return asked;
}

export function show(page: ReactNode, at = "/") {
  const cache = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  return {
    cache,
    ...render(
      <QueryClientProvider client={cache}>
        <MemoryRouter initialEntries={[at]}>{page}</MemoryRouter>
      </QueryClientProvider>,
    ),
  };
}
