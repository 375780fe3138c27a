// The units in which the household sees its values.
import { useQueryClient } from "@tanstack/react-query";
import * as changes from "../../api/changes";
import type { Kind } from "../../api/client";
import { useHouse, useKinds } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Await, Failure, Labelled } from "../../ui/parts";
import { withUnit } from "./units";

const KINDS = ["temperature", "pressure", "distance", "speed", "power", "energy", "volume"];

export function Units() {
  const house = useHouse();
  const kinds = useKinds();
  const cache = useQueryClient();
  const change = useChange({
    mutationFn: (units: string[]) => changes.changeHouse({ units }),
    onSuccess: () => void cache.invalidateQueries(),
  });
  const preferred = house.data?.units ?? [];
  return (
    <section aria-labelledby="units">
      <h2 id="units" className="mb-3 text-xl">
        Units
      </h2>
      <p className="mb-3 text-faint">
        In which everybody sees values. A value can have a unit of its own, on its page.
      </p>
      <Await of={kinds} lines={3}>
        {(all) => (
          <div className="flex flex-wrap gap-x-6 gap-y-3">
            {KINDS.flatMap((name) => all.find((one) => one.kind === name) ?? []).map(
              (kind: Kind) => (
                <Labelled key={kind.kind} label={upper(kind.title)}>
                  <select
                    value={preferred.find((unit) => kind.units.includes(unit)) ?? kind.unit}
                    onChange={(event) =>
                      change.mutate(withUnit(preferred, kind, event.target.value))
                    }
                    className="field"
                  >
                    {kind.units.map((unit) => (
                      <option key={unit}>{unit}</option>
                    ))}
                  </select>
                </Labelled>
              ),
            )}
          </div>
        )}
      </Await>
      {change.error && (
        <div className="mt-3">
          <Failure error={change.error} />
        </div>
      )}
    </section>
  );
}

const upper = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
