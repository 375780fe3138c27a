// The form for a simple threshold: it writes the text, and the text is what counts.
import { type FormEvent, useState } from "react";
import * as changes from "../../api/changes";
import type { Threshold } from "../../api/client";
import { useEntities } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Failure, Labelled } from "../../ui/parts";
import { visible } from "../../ui/visible";

export function ThresholdForm({
  entity,
  onText,
}: {
  entity: string;
  onText: (text: string) => void;
}) {
  const entities = useEntities();
  const [watched, setWatched] = useState(entity);
  const every = [...(entities.data ?? [])].sort((a, b) => a.spoken.localeCompare(b.spoken));
  // No direction is over or under another: their texts are written by hand.
  const all = every.filter((e) => e.drawn !== "needle");
  const direction = every.find((e) => e.entity === entity && e.drawn === "needle");
  const found = all.find((e) => e.entity === watched);
  const words = found?.words ?? null;
  const happens = found?.drawn === "marks";
  const write = useChange({
    mutationFn: (body: Threshold) => changes.writeAutomation(body),
    onSuccess: (written) => onText(written.text),
  });

  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    const text = (field: string) => String(values.get(field) ?? "").trim();
    write.mutate({
      name: text("name"),
      entity: text("entity"),
      condition: (words ? "is" : text("condition")) as Threshold["condition"],
      limit: text("limit"),
      held: text("held"),
      until: text("until"),
      between: text("between"),
      switch: text("switch"),
      notify: text("notify"),
      title: text("title"),
      text: text("notify")
        ? happens
          ? "{entity}: {value}"
          : words
            ? "{entity} is {value}"
            : "{value} for {held}"
        : "",
      about: "",
    });
  }

  return (
    <form onSubmit={submit} className="space-y-4">
      <Labelled label="Name" hint="Call it by what it does.">
        <input name="name" required className="field" />
      </Labelled>
      <Labelled label="Watch">
        <select
          name="entity"
          required
          value={watched}
          onChange={(event) => setWatched(event.target.value)}
          className="field"
        >
          <option value="">choose a value …</option>
          {all.map((e) => (
            <option key={e.entity} value={e.entity}>
              {e.spoken}
              {e.shown && `, ${e.drawn === "marks" ? "last" : "now"} ${e.shown}`}
            </option>
          ))}
        </select>
      </Labelled>
      {direction && (
        <p>
          {visible(direction.spoken)} is a direction: write <code>within = ["330 °", "30 °"]</code>{" "}
          in the text, clockwise.
        </p>
      )}
      <div className="grid grid-cols-2 gap-4">
        {words ? (
          <Labelled label={happens ? "When it sends" : "When it is"}>
            <select name="limit" className="field">
              {(happens ? words : [...words].reverse()).map((word) => (
                <option key={word}>{word}</option>
              ))}
            </select>
          </Labelled>
        ) : (
          <>
            <Labelled label="When it is">
              <select name="condition" className="field">
                <option value="over">over</option>
                <option value="under">under</option>
              </select>
            </Labelled>
            <Labelled label="Limit">
              <input
                name="limit"
                required
                placeholder={`like 82 ${found?.unit ?? "%"}`}
                className="field"
              />
            </Labelled>
          </>
        )}
        {!happens && (
          <Labelled label="Held for" hint="Shorter times do not count.">
            <input name="held" placeholder="like 10 min" className="field" />
          </Labelled>
        )}
        {!words && !happens && (
          <Labelled label="Until" hint="The value at which it ends. The limit, if empty.">
            <input name="until" placeholder={`like 86 ${found?.unit ?? "%"}`} className="field" />
          </Labelled>
        )}
      </div>
      <Labelled label="Only between" hint="Empty for the whole day.">
        <input name="between" placeholder="like 06:00-22:00" className="field" />
      </Labelled>
      <Labelled label={happens ? "Switch to its other state" : "Switch on, and off when it ends"}>
        <select name="switch" className="field">
          <option value="">nothing</option>
          {all
            .filter((e) => e.writable && e.kind === "switch")
            .map((e) => (
              <option key={e.entity} value={e.entity}>
                {e.spoken}
              </option>
            ))}
        </select>
      </Labelled>
      <div className="grid grid-cols-2 gap-4">
        <Labelled label="Tell">
          <select name="notify" className="field">
            <option value="">nobody</option>
            <option value="everyone">everyone</option>
          </select>
        </Labelled>
        <Labelled label="With the title">
          <input name="title" placeholder="the automation's name" className="field" />
        </Labelled>
      </div>
      {write.error && <Failure error={write.error} />}
      <Button type="submit">Write the text</Button>
    </form>
  );
}
