// How one value is shown, and for how long its readings are kept; the household's choice
// unless it has one of its own.
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import * as changes from "../../api/changes";
import type { EntityDetail, Schemas } from "../../api/client";
import { useChange } from "../../api/useChange";
import { Button, Failure, Labelled } from "../../ui/parts";

const DECIMALS = ["0", "1", "2", "3", "4"];

export function Shown({ entity }: { entity: EntityDetail }) {
  const kept = entity.kept_in;
  const cache = useQueryClient();
  const [keep, setKeep] = useState(kept.keep);
  const change = useChange({
    mutationFn: (to: Schemas["EntityChange"]) => changes.changeEntity(entity.entity, to),
    onSuccess: () => void cache.invalidateQueries(),
  });
  return (
    <details className="rule mt-10 border-t pt-3">
      <summary className="cursor-pointer text-act">
        How it is shown, and how long it is kept
      </summary>
      <div className="mt-3 flex flex-wrap items-end gap-x-6 gap-y-3">
        {kept.choices.length > 1 && (
          <Labelled label="Unit">
            <select
              value={kept.seen_in}
              onChange={(event) => change.mutate({ seen_in: event.target.value })}
              className="field"
            >
              <option value="">as in the whole house</option>
              {kept.choices.map((unit) => (
                <option key={unit}>{unit}</option>
              ))}
            </select>
          </Labelled>
        )}
        {entity.words === null && entity.drawn !== "marks" && (
          <Labelled label="Decimals">
            <select
              value={String(kept.seen_decimals)}
              onChange={(event) => change.mutate({ decimals: Number(event.target.value) })}
              className="field"
            >
              <option value="-1">automatic</option>
              {DECIMALS.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          </Labelled>
        )}
        <form
          className="flex flex-wrap items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            change.mutate({ keep: keep.trim() });
          }}
        >
          <Labelled label="Single readings are kept for">
            <input
              value={keep}
              placeholder="as all others"
              onChange={(event) => setKeep(event.target.value)}
              className="field w-40"
            />
          </Labelled>
          <Button type="submit" disabled={keep.trim() === kept.keep || change.isPending}>
            Save
          </Button>
        </form>
      </div>
      {change.error && (
        <div className="mt-3">
          <Failure error={change.error} />
        </div>
      )}
    </details>
  );
}

/** The entity in the unit in which its values are kept and conditioned. */
export function asKept(entity: EntityDetail): EntityDetail {
  const { unit, decimals, low, high } = entity.kept_in;
  return { ...entity, unit, decimals, low, high };
}
