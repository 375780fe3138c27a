// A switch that waits for its node: it shows what was asked, and says when it was not
// done.
import { Switch } from "@headlessui/react";
import * as changes from "../api/changes";
import type { Command, Entity } from "../api/client";
import { useChange } from "../api/useChange";
import { Mark, Wanted } from "../ui/parts";

export function SwitchControl({
  entity,
  label = entity.spoken,
}: {
  entity: Entity;
  label?: string;
}) {
  const command = useChange({
    mutationFn: (on: boolean) => changes.command(entity.entity, on ? "on" : "off"),
  });
  const isOn = entity.value === 1;
  return (
    <div className="flex flex-wrap items-center gap-3">
      <Switch
        checked={isOn}
        aria-busy={command.isPending}
        onChange={(on) => command.mutate(on)}
        aria-label={label}
        className="group relative h-7 w-14 rounded-full border-2 border-act after:absolute after:-inset-2.5 aria-busy:border-dashed data-checked:bg-act"
      >
        <span className="absolute top-0.5 left-0.5 size-5 rounded-full bg-act transition-transform forced-colors:bg-[ButtonText] group-data-checked:translate-x-7 group-data-checked:bg-on-act" />
      </Switch>
      <span aria-live="polite" className="text-sm">
        {command.isPending ? (
          <span className="text-faint">asked to be {command.variables ? "on" : "off"} …</span>
        ) : (
          <Outcome command={command.data} error={command.error} entity={entity} />
        )}
      </span>
    </div>
  );
}

function Outcome({
  command,
  error,
  entity,
}: {
  command?: Command;
  error: Error | null;
  entity: Entity;
}) {
  const isOn = entity.value === 1;
  if (error) return <Mark grave>{error.message}</Mark>;
  // The hub goes on asking for what is wanted until the node confirms it.
  if (entity.wanted) return <Wanted entity={entity} />;
  if (command && command.state !== "confirmed") {
    return <Mark grave>not done: {command.problem}</Mark>;
  }
  if (command && (command.value === 1) === isOn)
    return <span className="text-faint">confirmed</span>;
  return null;
}
