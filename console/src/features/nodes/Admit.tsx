// Letting one arrival in: what it is, its setup code or its secret, its name and room,
// and how each of its values is called.
import { useQueryClient } from "@tanstack/react-query";
import type { FormEvent } from "react";
import * as changes from "../../api/changes";
import type { Arrival, HubNode } from "../../api/client";
import { keys } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Failure, Labelled, Mark } from "../../ui/parts";
import { RoomField } from "../../ui/RoomField";
import { Sheet } from "../../ui/Sheet";
import { visible } from "../../ui/visible";
import { KindField } from "./KindField";

export function Admit({ arrival, close }: { arrival: Arrival; close: () => void }) {
  return (
    <Sheet open close={close} title={`Let ${visible(arrival.title)} in`} wide>
      <AdmitForm arrival={arrival} cancel={close} done={close} />
    </Sheet>
  );
}

interface FormProps {
  arrival: Arrival;
  code?: string;
  cancel?: () => void;
  done: (node: HubNode) => void;
}

export function AdmitForm({ arrival, code = "", cancel, done }: FormProps) {
  const cache = useQueryClient();
  const admit = useChange({
    mutationFn: (body: {
      setup_code: string;
      secret: string;
      name: string;
      room: string;
      origins: string[];
      entities: { name: string; title: string; hidden: boolean; kind: string; unit: string }[];
    }) => changes.admit(arrival.id, body),
    onSuccess: (node) => {
      for (const queryKey of [keys.arrivals, keys.nodes, keys.entities, keys.house])
        void cache.invalidateQueries({ queryKey });
      done(node);
    },
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    const text = (name: string) => String(values.get(name) ?? "");
    admit.mutate({
      setup_code: text("code"),
      secret: text("secret"),
      name: text("name"),
      room: text("room"),
      origins: values.getAll("origin").map(String),
      entities: arrival.entities.map(({ name, kind, unit }) => {
        const chosen = { kind: text(`kind ${name}`), unit: text(`unit ${name}`) };
        const other = chosen.kind !== kind || chosen.unit !== unit;
        return {
          name,
          title: text(`title ${name}`),
          hidden: !values.has(`shown ${name}`),
          ...(other && chosen.kind ? chosen : { kind: "", unit: "" }),
        };
      }),
    });
  }
  return (
    <form onSubmit={submit} className="space-y-5">
      {(arrival.about || arrival.url) && (
        <p>
          {arrival.about}{" "}
          {arrival.url && <code className="break-all text-faint text-sm">{arrival.url}</code>}
        </p>
      )}
      {arrival.needs_code && (
        <Labelled
          label="Setup code"
          hint="It is on the node. It shows that you have the node in hand."
        >
          <input
            name="code"
            required
            autoComplete="off"
            inputMode="numeric"
            defaultValue={code}
            className="field"
          />
        </Labelled>
      )}
      {arrival.asks && (
        <Labelled
          label={`Its ${arrival.asks}`}
          hint={
            arrival.asks === "user and password"
              ? "The node asks for it. Write it as user:password."
              : "The node asks for it."
          }
        >
          <input name="secret" required autoComplete="off" className="field" />
        </Labelled>
      )}
      <div className="grid gap-4 sm:grid-cols-2">
        <Labelled label="Name" hint="Its values are named after it.">
          <input
            name="name"
            required
            defaultValue={arrival.known_as ?? arrival.title}
            className="field"
          />
        </Labelled>
        <RoomField hint="One of the house’s rooms, or the name of a new one." />
      </div>
      <fieldset>
        <legend className="mb-1 font-medium">What it has</legend>
        <ul>
          {arrival.entities.map((entity) => (
            <li
              key={entity.name}
              className="rule grid grid-cols-[1fr_auto] items-center gap-x-4 border-t py-1.5"
            >
              <div className="grid items-baseline gap-x-4 sm:grid-cols-[1fr_1fr]">
                <input
                  name={`title ${entity.name}`}
                  aria-label={`Name of ${entity.title}`}
                  defaultValue={entity.title}
                  required
                  className="field"
                />
                <div>
                  <KindField
                    kind={entity.kind}
                    unit={entity.unit}
                    name={` ${entity.name}`}
                    bare={entity.title}
                  />
                  {entity.writable && <span className="text-faint text-sm">can be set</span>}
                </div>
              </div>
              <label className="flex items-center gap-2">
                <input
                  type="checkbox"
                  name={`shown ${entity.name}`}
                  defaultChecked={!entity.hidden}
                />{" "}
                shown
              </label>
            </li>
          ))}
        </ul>
        <Also arrival={arrival} />
      </fieldset>
      {arrival.elsewhere.length > 0 && (
        <fieldset>
          <legend className="mb-1 font-medium">Other addresses</legend>
          <p className="text-faint text-sm">
            The node’s description points to other addresses. The hub sends nothing to them, secrets
            included, unless you tick them.
          </p>
          {arrival.elsewhere.map((origin) => (
            <label key={origin} className="flex items-center gap-2">
              <input type="checkbox" name="origin" value={origin} />{" "}
              <code className="break-all">{origin}</code>
            </label>
          ))}
        </fieldset>
      )}
      {admit.error && <Failure error={admit.error} />}
      <div className="flex justify-end gap-3">
        {cancel && <Button onClick={cancel}>Not now</Button>}
        <Button type="submit" look="main" disabled={admit.isPending}>
          Let it in
        </Button>
      </div>
    </form>
  );
}

/** What an arrival has beside entities, and what of it the hub leaves alone. */
export function Also({ arrival }: { arrival: Arrival }) {
  const notes = [...arrival.left_out, ...arrival.unit_notes];
  if (arrival.settings.length + arrival.actions.length + notes.length === 0) return null;
  return (
    <div className="mt-2 space-y-0.5 text-sm">
      {arrival.settings.length > 0 && <div>settings of its own: {arrival.settings.join(", ")}</div>}
      {arrival.actions.length > 0 && <div>can be asked to: {arrival.actions.join(", ")}</div>}
      {notes.map((text) => (
        <div key={text}>
          <Mark>{visible(text)}</Mark>
        </div>
      ))}
    </div>
  );
}
