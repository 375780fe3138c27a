// Asking an entity to take a value, and what became of it in words.
import type { ReactNode } from "react";
import * as changes from "../api/changes";
import type { Entity } from "../api/client";
import { useChange } from "../api/useChange";
import { Mark, Wanted } from "../ui/parts";

/** Ask an entity to take a value, written as people write it. */
export function useCommand(entity: Entity, onSettled?: () => void) {
  return useChange({
    mutationFn: (to: string) => changes.command(entity.entity, to),
    onSettled,
  });
}

/** What was asked, and whether it was done; `held` is what is not asked yet. */
export function Result({
  entity,
  command,
  held = "",
  confirmed = null,
}: {
  entity: Entity;
  command: ReturnType<typeof useCommand>;
  held?: string;
  confirmed?: ReactNode;
}) {
  return (
    <div aria-live="polite" className="text-sm">
      {command.isPending ? (
        <span className="text-faint">asked to be {command.variables} …</span>
      ) : held ? (
        <span className="text-faint">to be {held} …</span>
      ) : command.error ? (
        <Mark grave>{command.error.message}</Mark>
      ) : entity.wanted ? (
        // The hub goes on asking for what is wanted until the node confirms it.
        <Wanted entity={entity} />
      ) : command.data && command.data.state !== "confirmed" ? (
        <Mark grave>not done: {command.data.problem}</Mark>
      ) : (
        command.data?.value === entity.value && confirmed
      )}
    </div>
  );
}
