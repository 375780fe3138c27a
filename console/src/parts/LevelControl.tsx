// A level that waits for its node: it is asked when the slider is let go, and shows
// what the node has made of it.
import { useEffect, useRef, useState } from "react";
import * as changes from "../api/changes";
import type { Entity } from "../api/client";
import { useChange } from "../api/useChange";
import { Mark, Wanted } from "../ui/parts";

const KEYS_REST_MS = 700;

export function LevelControl({ entity }: { entity: Entity }) {
  const [held, setHeld] = useState<number | null>(null);
  const command = useChange({
    mutationFn: (percent: number) => changes.command(entity.entity, `${percent} %`),
    onSettled: () => setHeld(null),
  });
  const typing = useRef(0);
  function send() {
    window.clearTimeout(typing.current);
    if (held !== null) command.mutate(held);
  }
  // Keys move it step by step: it is sent when they rest.
  useEffect(() => () => window.clearTimeout(typing.current), []);
  function onKeyUp() {
    window.clearTimeout(typing.current);
    typing.current = window.setTimeout(send, KEYS_REST_MS);
  }
  const failed =
    command.error?.message ?? (command.data?.state === "confirmed" ? "" : command.data?.problem);
  return (
    <div>
      <input
        type="range"
        min={0}
        max={100}
        value={held ?? Math.round(entity.value ?? 0)}
        aria-label={entity.spoken}
        aria-busy={command.isPending}
        onChange={(event) => setHeld(Number(event.target.value))}
        onPointerUp={send}
        onKeyUp={onKeyUp}
        onBlur={send}
        className="relative h-9 w-full accent-(--act)"
      />
      <div aria-live="polite" className="text-sm">
        {command.isPending || held !== null ? (
          <span className="text-faint">
            {command.isPending ? "asked to be" : "to be"} {held} % …
          </span>
        ) : entity.wanted ? (
          <Wanted entity={entity} />
        ) : (
          failed && <Mark grave>not done: {failed}</Mark>
        )}
      </div>
    </div>
  );
}
