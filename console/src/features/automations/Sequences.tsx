// The sequences: lists of actions that automations run.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import * as changes from "../../api/changes";
import { api, ask, HubError, type Sequence } from "../../api/client";
import { keys, useSequences } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Await, Button, Failure, Mark } from "../../ui/parts";
import { TextEditor } from "../../ui/TextEditor";
import { useCompletes } from "./useCompletes";

const FIRST = `name = "Close up"

[takes]                       # what it takes, and what that is usually
lamp = "node/entity"

[[steps]]
switch = "{lamp}"
to = "off"
`;

export function Sequences() {
  const sequences = useSequences();
  return (
    <section aria-labelledby="sequences" className="mt-12">
      <h2 id="sequences" className="mb-1 text-2xl">
        Sequences
      </h2>
      <p className="mb-3 text-faint">
        Lists of actions with a name. An automation runs one with <code>run = "…"</code>.
      </p>
      <Await of={sequences} lines={1}>
        {(found) => <All sequences={found} />}
      </Await>
    </section>
  );
}

function All({ sequences }: { sequences: Sequence[] }) {
  return (
    <>
      {sequences.map((one) => (
        <Fold
          key={one.sequence}
          head={
            <>
              <b>{one.name}</b>{" "}
              {one.mistakes[0] ? (
                <Mark grave>cannot run: {one.mistakes[0].what}</Mark>
              ) : (
                <span className="text-faint">{one.sentence}</span>
              )}
            </>
          }
        >
          <Editor sequence={one} />
        </Fold>
      ))}
      <Fold head={<b>Write a sequence</b>}>
        <Editor />
      </Fold>
    </>
  );
}

/** The editor's library comes when the fold is opened first. */
function Fold({ head, children }: { head: ReactNode; children: ReactNode }) {
  const [opened, setOpened] = useState(false);
  return (
    <details className="rule border-t py-3" onToggle={() => setOpened(true)}>
      <summary className="cursor-pointer">{head}</summary>
      {opened && children}
    </details>
  );
}

function Editor({ sequence }: { sequence?: Sequence }) {
  const cache = useQueryClient();
  const completes = useCompletes("sequence");
  const [text, setText] = useState(sequence?.text ?? FIRST);
  const checked = useQuery({
    queryKey: ["sequences", "check", text],
    queryFn: () => ask(api.POST("/api/sequences/check", { body: { text } })),
    placeholderData: (before) => before,
  });
  const again = () => {
    void cache.invalidateQueries({ queryKey: keys.sequences });
    void cache.invalidateQueries({ queryKey: keys.automations });
  };
  const keep = useChange({
    mutationFn: () => changes.keepSequence(text),
    onSuccess: () => {
      if (!sequence) setText(FIRST);
      again();
    },
  });
  const remove = useChange({
    mutationFn: () => changes.removeSequence(sequence?.sequence ?? ""),
    onSuccess: again,
  });
  const told = keep.error instanceof HubError && keep.error.mistakes.length > 0;
  const error = told ? remove.error : (keep.error ?? remove.error);
  return (
    <div className="mt-3 max-w-3xl">
      <TextEditor
        label={sequence ? `The text of ${sequence.name}` : "The new sequence's text"}
        text={text}
        setText={setText}
        mistakes={checked.data?.mistakes ?? []}
        completes={completes}
      />
      {error && <Failure error={error} />}
      <div className="mt-3 flex gap-4">
        <Button
          look="main"
          disabled={keep.isPending || text === sequence?.text || !!checked.data?.mistakes.length}
          onClick={() => keep.mutate()}
        >
          Keep it
        </Button>
        {sequence && (
          <Button look="grave" disabled={remove.isPending} onClick={() => remove.mutate()}>
            Remove it
          </Button>
        )}
      </div>
    </div>
  );
}
