// Go anywhere, or switch anything, by typing.
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/react";
import { useState } from "react";
import { useNavigate } from "react-router";
import * as changes from "../api/changes";
import { useAutomations, useEntities, useHouse, useNodes } from "../api/queries";
import { useChange } from "../api/useChange";
import { Failure } from "../ui/parts";
import { Sheet } from "../ui/Sheet";
import { visible } from "../ui/visible";
import { type Choice, choices, matching } from "./choices";

export function Palette({ close }: { close: () => void }) {
  const [typed, setTyped] = useState("");
  const navigate = useNavigate();
  const house = useHouse();
  const entities = useEntities();
  const nodes = useNodes();
  const automations = useAutomations();
  const all = choices(
    house.data?.floors ?? [],
    nodes.data ?? [],
    entities.data ?? [],
    automations.data ?? [],
  );
  const found = matching(all, typed).slice(0, 12);

  const command = useChange({
    mutationFn: async ({ entity, to }: { entity: string; to: string }) => {
      const done = await changes.command(entity, to);
      if (done.state !== "confirmed") throw new Error(`Not done: ${done.problem}`);
    },
    onSuccess: close,
  });

  const duty = useChange({
    mutationFn: ({ automation, enabled }: { automation: string; enabled: boolean }) =>
      changes.changeAutomation(automation, { enabled, leave: false }),
    onSuccess: close,
  });

  function choose(choice: Choice | null) {
    if (!choice) return;
    if (choice.command) command.mutate(choice.command);
    else if (choice.duty) duty.mutate(choice.duty);
    else {
      void navigate(choice.path);
      close();
    }
  }

  return (
    <Sheet open close={close} title="Go to, or switch">
      <Combobox<Choice | null> value={null} onChange={choose} immediate>
        <ComboboxInput
          autoFocus
          className="field"
          aria-label="A room, a node, a value, an automation"
          placeholder="A room, a node, a value, an automation …"
          onChange={(event) => setTyped(event.target.value)}
          // One Escape is enough: the options are always shown, there is nothing to
          // close before the sheet.
          onKeyDownCapture={(event) => event.key === "Escape" && close()}
        />
        <ComboboxOptions static className="mt-3 max-h-80 overflow-y-auto">
          {found.map((choice) => (
            <ComboboxOption
              key={choice.key}
              value={choice}
              className="flex items-baseline justify-between gap-4 px-2 py-1 data-focus:bg-act data-focus:text-on-act"
            >
              <span>{visible(choice.label)}</span>
              <span className="text-sm opacity-80">{visible(choice.what)}</span>
            </ComboboxOption>
          ))}
        </ComboboxOptions>
      </Combobox>
      {found.length === 0 && <p className="mt-3 text-faint">Nothing matches.</p>}
      {command.isPending && <p className="mt-3 text-faint">Asked; waiting for the node …</p>}
      {(command.error ?? duty.error) && <Failure error={(command.error ?? duty.error) as Error} />}
    </Sheet>
  );
}
