// More sensors beside the same reference: each with the offset that follows, and its own
// correction.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import * as changes from "../../api/changes";
import type { Entity } from "../../api/client";
import { useChange } from "../../api/useChange";
import { Button, Failure, Heads } from "../../ui/parts";
import { Ticks } from "../../ui/Ticks";
import { visible } from "../../ui/visible";
import { signed } from "./typed";

interface Beside {
  reference: string;
  start: number;
  end: number;
}

export function CalibrateSet({
  others,
  beside,
  past,
}: {
  others: Entity[];
  beside: Beside;
  past: boolean;
}) {
  const [ticked, setTicked] = useState<string[]>([]);
  if (others.length === 0) return null;
  const set = others.filter((one) => ticked.includes(one.entity));
  return (
    <details className="rule mt-5 border-t pt-3">
      <summary className="cursor-pointer font-medium">More sensors beside this reference</summary>
      <div className="mt-2">
        <Ticks
          of={others}
          id={(one) => one.entity}
          label={(one) => visible(one.spoken)}
          ticked={ticked}
          onTicked={setTicked}
        />
      </div>
      {set.length > 0 && (
        <table className="mt-3 w-full text-left">
          <Heads
            of="Each sensor beside the reference"
            names={["Sensor", "Offset", "Correct it"]}
            right={["Offset", "Correct it"]}
          />
          <tbody>
            {set.map((one) => (
              <Row key={one.entity} entity={one} beside={beside} past={past} />
            ))}
          </tbody>
        </table>
      )}
    </details>
  );
}

function Row({ entity, beside, past }: { entity: Entity; beside: Beside; past: boolean }) {
  const found = useQuery({
    queryKey: ["beside", entity.entity, beside],
    queryFn: () => changes.compareBeside(entity.entity, beside),
    retry: false,
  });
  const correct = useChange({
    mutationFn: () => changes.calibrate(entity.entity, { ...beside, gain: false, past }),
  });
  const offset = found.data?.offset;
  return (
    <tr className="rule border-t align-top">
      <th scope="row" className="py-2 pr-4 font-normal">
        {visible(entity.spoken)}
        {(found.data?.remarks ?? []).map((one) => (
          <span key={one} className="block text-faint text-sm">
            {one}
          </span>
        ))}
        {(found.error ?? correct.error) && (
          <Failure error={(found.error ?? correct.error) as Error} />
        )}
      </th>
      <td className="py-2 pr-4 text-right whitespace-nowrap">
        {offset ? `${signed(offset.offset)} ${entity.unit}` : found.isPending ? "…" : "–"}
      </td>
      <td className="py-2 text-right">
        {correct.isSuccess ? (
          "corrected"
        ) : (
          <Button disabled={!offset || correct.isPending} onClick={() => correct.mutate()}>
            Correct
          </Button>
        )}
      </td>
    </tr>
  );
}
