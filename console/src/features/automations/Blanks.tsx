// The values of a text as a form: another view of the same text. A change here changes
// that place of the text, and nothing beside it.
import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import * as changes from "../../api/changes";
import type { Schemas } from "../../api/client";
import { Failure, Labelled } from "../../ui/parts";

type Field = Schemas["TextField"];

export function Blanks({
  text,
  fields,
  onText,
}: {
  text: string;
  fields: Field[];
  onText: (text: string) => void;
}) {
  const newest = useRef(text);
  useEffect(() => {
    newest.current = text;
  }, [text]);
  // One after the other, each in the text that the one before has made.
  const edit = useMutation({
    scope: { id: "a value of an automation's text" },
    networkMode: "always",
    mutationFn: async ({ field, to }: { field: Field; to: string }) => {
      let over: string;
      let made: { text: string };
      do {
        over = newest.current;
        made = await changes.editText(over, field.path, to.trim() === "" ? null : to);
      } while (newest.current !== over); // it was written on meanwhile
      newest.current = made.text;
      onText(made.text);
    },
  });
  return (
    <div className="space-y-3">
      <div className="grid gap-x-6 gap-y-3 sm:grid-cols-2">
        {fields.map((field) => (
          <Blank
            key={`${field.path.join(".")} ${field.value}`}
            field={field}
            onKeep={(to) => edit.mutate({ field, to })}
          />
        ))}
      </div>
      {edit.error && <Failure error={edit.error} />}
      <p className="text-faint text-sm">The text may contain more than this form shows.</p>
    </div>
  );
}

/** One value, kept when it is left. */
function Blank({ field, onKeep }: { field: Field; onKeep: (to: string) => void }) {
  const [typed, setTyped] = useState(field.value);
  return (
    <div className="min-w-0">
      <Labelled label={field.label}>
        <input
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          onBlur={() => typed !== field.value && onKeep(typed)}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
          className="field"
        />
      </Labelled>
    </div>
  );
}
