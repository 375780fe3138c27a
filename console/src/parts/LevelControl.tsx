// A level that waits for its node: it is asked when the slider is let go, and shows
// what the node has made of it.
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import * as changes from "../api/changes";
import type { Entity } from "../api/client";
import { Mark, Wanted } from "../ui/parts";

export function LevelControl({ entity }: { entity: Entity }) {
  const [held, setHeld] = useState<number | null>(null);
  const command = useMutation({
    mutationFn: (percent: number) => changes.command(entity.entity, `${percent} %`),
    onSettled: () => setHeld(null),
  });
  const send = () => held !== null && !command.isPending && command.mutate(held);
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
        disabled={command.isPending}
        onChange={(event) => setHeld(Number(event.target.value))}
        onPointerUp={send}
        onKeyUp={send}
        onBlur={send}
        className="w-full accent-(--act)"
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
