// What the tiles of a page look at: all entities, the names of nodes, and the limits of
// automations.
import { useMemo } from "react";
import { useAutomations, useEntities, useNodes } from "../../api/queries";
import type { Limit } from "../faces";
import type { Known } from "./Board";

export function useKnown(): Known {
  const entities = useEntities().data;
  const nodes = useNodes().data;
  const automations = useAutomations().data;
  const limits = useMemo(() => {
    const found = new Map<string, Limit[]>();
    for (const { enabled, watch } of automations ?? [])
      if (enabled && watch) found.set(watch.entity, [...(found.get(watch.entity) ?? []), watch]);
    return found;
  }, [automations]);
  const titles = useMemo(() => new Map(nodes?.map((node) => [node.node, node.title])), [nodes]);
  return {
    entities: useMemo(() => new Map(entities?.map((one) => [one.entity, one])), [entities]),
    titles,
    limits,
  };
}
