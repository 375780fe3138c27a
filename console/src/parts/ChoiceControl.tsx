// One of several words that a node brings: a few as buttons beside one another, many as
// a list.
import { Radio, RadioGroup } from "@headlessui/react";
import type { Entity } from "../api/client";
import { visible } from "../ui/visible";
import { Result, useCommand } from "./useCommand";

const MOST_BESIDE = 5;

export function ChoiceControl({ entity }: { entity: Entity }) {
  const command = useCommand(entity);
  const words = entity.words ?? [];
  const now = entity.value === null ? "" : (words[entity.value] ?? "");
  return (
    <div>
      {words.length > MOST_BESIDE ? (
        <select
          aria-label={entity.spoken}
          aria-busy={command.isPending}
          value={now}
          onChange={(event) => command.mutate(event.target.value)}
          className="field relative w-full"
        >
          {!now && <option value="">–</option>}
          {words.map((word) => (
            <option key={word} value={word}>
              {visible(word)}
            </option>
          ))}
        </select>
      ) : (
        <RadioGroup
          value={now}
          onChange={(word) => command.mutate(word)}
          aria-label={entity.spoken}
          aria-busy={command.isPending}
          className="relative flex flex-wrap gap-1"
        >
          {words.map((word) => (
            <Radio
              key={word}
              value={word}
              className="min-h-9 cursor-pointer rounded-sm border border-rule px-3 py-1 data-checked:border-act data-checked:bg-act data-checked:text-on-act data-focus:outline-2 data-focus:outline-act data-focus:outline-offset-2"
            >
              {visible(word)}
            </Radio>
          ))}
        </RadioGroup>
      )}
      <Result entity={entity} command={command} />
    </div>
  );
}
