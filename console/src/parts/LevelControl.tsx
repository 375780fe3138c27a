// A value between two ends that waits for its node: it is asked when the slider is let
// go, and shows what the node has made of it.
import { useEffect, useRef, useState } from "react";
import type { Entity } from "../api/client";
import { Button } from "../ui/parts";
import { Result, useCommand } from "./useCommand";

const KEYS_REST_MS = 700;
const SPECTRUM =
  "linear-gradient(90deg, #d33 0%, #cc3 17%, #3b3 33%, #3bb 50%, #44d 67%, #b3b 83%, #d33 100%)";
const WARM_TO_COLD = "linear-gradient(90deg, #ffb46b 0%, #fff3e3 55%, #cfe2ff 100%)";
/** What lies behind the slider of a colour. */
const BEHIND: Record<string, string> = { hue: SPECTRUM, white: WARM_TO_COLD };

export function LevelControl({ entity }: { entity: Entity }) {
  const [held, setHeld] = useState<number | null>(null);
  const command = useCommand(entity, () => setHeld(null));
  const typing = useRef(0);
  const written = (value: number) => `${value} ${entity.unit}`.trim();
  function send() {
    window.clearTimeout(typing.current);
    if (held !== null) command.mutate(written(held));
  }
  // Keys move it step by step: it is sent when they rest.
  useEffect(() => () => window.clearTimeout(typing.current), []);
  function onKeyUp() {
    window.clearTimeout(typing.current);
    typing.current = window.setTimeout(send, KEYS_REST_MS);
  }
  const step = entity.kind === "white" ? 50 : 10 ** -entity.decimals;
  const now = held ?? Number((entity.value ?? 0).toFixed(entity.decimals));
  return (
    <div>
      <input
        type="range"
        min={Math.ceil(entity.low / step) * step}
        max={entity.high}
        step={step}
        value={now}
        aria-label={entity.spoken}
        aria-valuetext={written(now)}
        aria-busy={command.isPending}
        onChange={(event) => setHeld(Number(event.target.value))}
        onPointerUp={send}
        onKeyUp={onKeyUp}
        onBlur={send}
        style={{ background: BEHIND[entity.kind] }}
        className={`relative h-9 w-full accent-(--act) ${BEHIND[entity.kind] ? "appearance-none rounded-full border border-rule" : ""}`}
      />
      <Result
        entity={entity}
        command={command}
        held={held === null || command.isPending ? "" : written(held)}
      />
    </div>
  );
}

/** A covering: its two ends, and all between them. */
export function PositionControl({ entity }: { entity: Entity }) {
  const command = useCommand(entity);
  return (
    <div>
      <div className="relative flex gap-2">
        {[
          ["Open", "100 %"],
          ["Close", "0 %"],
        ].map(([label, to = ""]) => (
          <Button
            key={label}
            aria-label={`${label} ${entity.spoken}`}
            disabled={command.isPending}
            onClick={() => command.mutate(to)}
          >
            {label}
          </Button>
        ))}
      </div>
      {command.isPending && <Result entity={entity} command={command} />}
      <LevelControl entity={entity} />
    </div>
  );
}
