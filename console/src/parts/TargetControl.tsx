// A number that a node is to reach, in steps: it is asked when the steps rest.
import { useCallback, useEffect, useRef, useState } from "react";
import type { Entity } from "../api/client";
import { Button } from "../ui/parts";
import { Result, useCommand } from "./useCommand";

const REST_MS = 700;

/** The step of a number: half of a degree, else one of its last decimal. */
const stepOf = (entity: Entity) => (entity.kind === "temperature" ? 0.5 : 10 ** -entity.decimals);

export function TargetControl({ entity }: { entity: Entity }) {
  const [held, setHeld] = useState<number | null>(null);
  const command = useCommand(entity, () => setHeld(null));
  const resting = useRef(0);
  // Who leaves the page before the steps rest means what they set.
  const unsent = useRef("");
  const ask = useRef(command.mutate);
  ask.current = command.mutate;
  const send = useCallback(() => {
    window.clearTimeout(resting.current);
    if (unsent.current) ask.current(unsent.current);
    unsent.current = "";
  }, []);
  useEffect(() => send, [send]);
  const written = (value: number) => `${value.toFixed(entity.decimals)} ${entity.unit}`.trim();
  function move(by: number) {
    const from = held ?? entity.value;
    if (from === null) return;
    const to = Math.min(entity.high, Math.max(entity.low, from + by * stepOf(entity)));
    setHeld(to);
    unsent.current = written(to);
    window.clearTimeout(resting.current);
    resting.current = window.setTimeout(send, REST_MS);
  }
  return (
    <div>
      <div className="relative flex items-center gap-2">
        {[
          [-1, "−", "lower"],
          [1, "+", "higher"],
        ].map(([by, sign, label]) => (
          <Button
            key={label}
            aria-label={`${entity.spoken}: ${label}`}
            disabled={entity.value === null || command.isPending}
            onClick={() => move(Number(by))}
          >
            {sign}
          </Button>
        ))}
      </div>
      <Result
        entity={entity}
        command={command}
        held={held === null || command.isPending ? "" : written(held)}
      />
    </div>
  );
}
