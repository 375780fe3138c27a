// What the editor can complete in this house.
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, ask } from "../../api/client";
import {
  useAutomations,
  useEntities,
  usePresence,
  useScenes,
  useSequences,
} from "../../api/queries";
import type { Completes } from "../../ui/TextEditor";
import { completer, type Schema } from "./completes";

export function useCompletes(of: "automation" | "sequence" = "automation"): Completes {
  const entities = useEntities().data;
  const scenes = useScenes().data;
  const sequences = useSequences().data;
  const people = usePresence().data;
  const automations = useAutomations().data;
  const schema = useQuery({
    queryKey: ["automations", "schema"],
    queryFn: () => ask(api.GET("/api/automations/schema")),
    staleTime: Number.POSITIVE_INFINITY,
  }).data;
  return useMemo(
    () =>
      completer(
        {
          entities: entities ?? [],
          scenes: (scenes ?? []).map((one) => one.scene),
          sequences: (sequences ?? []).map((one) => one.sequence),
          people: (people ?? []).map((one) => one.person),
          automations: (automations ?? []).map((one) => one.automation),
          schema: schema as Schema | undefined,
        },
        of,
      ),
    [entities, scenes, sequences, people, automations, schema, of],
  );
}
