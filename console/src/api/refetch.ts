// What is fetched again of one node, when something about it changed.
import type { QueryClient } from "@tanstack/react-query";
import { api, ask, type Entity, HubError, type HubNode } from "./client";
import { keys } from "./queries";
import { notOlder } from "./readings";

/** Fetch a node and its entities, and put them where the lists have them. */
export async function refetchNode(cache: QueryClient, node: string): Promise<void> {
  void cache.invalidateQueries({
    predicate: ({ queryKey: [kind, address] }) =>
      (kind === "entity" && String(address).startsWith(`${node}/`)) ||
      (kind === "settings" && address === node),
  });
  const listed = cache.getQueryData<HubNode[]>(keys.nodes);
  const shown = cache.getQueryData<Entity[]>(keys.entities);
  try {
    const [one, its] = await Promise.all([
      listed && ask(api.GET("/api/nodes/{node}", { params: { path: { node } } })),
      shown && ask(api.GET("/api/entities", { params: { query: { node } } })),
    ]);
    if (one) replace<HubNode>(cache, keys.nodes, [one], (other) => other.node, node);
    if (its) {
      const fresh = its.map(notOlder);
      replace<Entity>(cache, keys.entities, fresh, (other) => other.entity, node);
    }
  } catch (error) {
    if (!(error instanceof HubError)) throw error;
    // It is gone, or the hub does not answer: the lists know.
    for (const queryKey of [keys.nodes, keys.entities]) void cache.invalidateQueries({ queryKey });
  }
}

function replace<T extends { node: string }>(
  cache: QueryClient,
  queryKey: readonly string[],
  fresh: T[],
  name: (one: T) => string,
  node: string,
) {
  const list = cache.getQueryData<T[]>(queryKey);
  if (!list) return;
  const byName = new Map(fresh.map((one) => [name(one), one]));
  const before = list.filter((one) => one.node === node);
  // Where one came or went, its place in the order is the hub's to say.
  if (before.length !== fresh.length || before.some((one) => !byName.has(name(one))))
    void cache.invalidateQueries({ queryKey });
  else
    cache.setQueryData<T[]>(
      queryKey,
      list.map((one) => byName.get(name(one)) ?? one),
    );
}
