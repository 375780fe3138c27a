// Adding a value to a room that is computed from others.
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import * as changes from "../../api/changes";
import type { Entity, Schemas } from "../../api/client";
import { keys, useMethods } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Await, Button, Failure, Labelled } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";

type Method = Schemas["MethodSort"];
const MOST = 20;

export function Derive({ room, entities }: { room: string; entities: Entity[] }) {
  const [open, setOpen] = useState(false);
  const methods = useMethods();
  return (
    <div className="mt-6">
      <Button onClick={() => setOpen(true)}>Add a computed value</Button>
      <Sheet open={open} close={() => setOpen(false)} title="Add a computed value">
        <Await of={methods} lines={4}>
          {(all) => (
            <Form room={room} entities={entities} methods={all} close={() => setOpen(false)} />
          )}
        </Await>
      </Sheet>
    </div>
  );
}

function Form({
  room,
  entities,
  methods,
  close,
}: {
  room: string;
  entities: Entity[];
  methods: Method[];
  close: () => void;
}) {
  const cache = useQueryClient();
  const navigate = useNavigate();
  const [name, setName] = useState(methods[0]?.method ?? "");
  const [sources, setSources] = useState<string[]>([]);
  const [title, setTitle] = useState("");
  const [parameters, setParameters] = useState<Record<string, string>>({});
  const method = methods.find((one) => one.method === name);
  const add = useChange({
    mutationFn: (body: Schemas["ComputedRequest"]) => changes.makeComputed(body),
    onSuccess: (made) => {
      void cache.invalidateQueries({ queryKey: keys.entities });
      void navigate(`/readings/${made.entity}`);
    },
  });
  if (!method) return null;
  const fixed = method.sources.length > 0;
  const formula = method.method === "formula";
  const first = entities.find((one) => one.entity === sources[0]);
  // What follows from one node's values alone stands on that node, if that is here.
  const nodes = new Set(sources.filter(Boolean).map((one) => one.split("/")[0]));
  const onNode = nodes.size === 1 && first?.room === room;
  // What there is to choose for each place; for several of one kind, the first one says it.
  const places =
    fixed || formula
      ? method.sources
      : Array.from({ length: Math.min(MOST, Math.max(2, sources.length + 1)) }, () => first?.kind);
  const fitting = (kind: string | undefined) =>
    entities
      .filter((one) => isA(one, kind))
      .sort(
        (a, b) =>
          Number(b.room === room) - Number(a.room === room) || a.spoken.localeCompare(b.spoken),
      );
  const put = (place: number, entity: string) =>
    setSources((before) => {
      const after = [...before];
      after[place] = entity;
      return fixed ? after : after.filter(Boolean);
    });
  return (
    <form
      className="space-y-4"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate({
          method: method.method,
          sources: sources.filter(Boolean),
          title: title.trim(),
          room: onNode ? "" : room,
          parameters,
        });
      }}
    >
      <Labelled label="What" hint={method.about}>
        <select
          value={name}
          onChange={(event) => {
            setName(event.target.value);
            setSources([]);
            setParameters({});
          }}
          className="field"
        >
          {methods.map((one) => (
            <option key={one.method} value={one.method}>
              {one.title}
            </option>
          ))}
        </select>
      </Labelled>
      {places.map((kind, place) => (
        <Labelled
          // biome-ignore lint/suspicious/noArrayIndexKey: a source is its place
          key={place}
          label={fixed ? fromOf(kind, place) : `Value ${place + 1}`}
        >
          <select
            required={fixed || place < 2}
            value={sources[place] ?? ""}
            onChange={(event) => put(place, event.target.value)}
            className="field"
          >
            <option value="">{fixed || place < 2 ? "choose a value …" : "no more"}</option>
            {fitting(fixed || place > 0 ? kind : undefined)
              .filter((one) => sources[place] === one.entity || !sources.includes(one.entity))
              .map((one) => (
                <option key={one.entity} value={one.entity}>
                  {one.spoken}
                </option>
              ))}
          </select>
        </Labelled>
      ))}
      {method.parameters.map((one) => {
        const value = parameters[one.name] ?? String(one.default ?? "");
        const set = (to: string) => setParameters({ ...parameters, [one.name]: to });
        return (
          <Labelled key={one.name} label={titleOf(one.name)} hint={hintOf(one.about)}>
            {one.name === "text" ? (
              <textarea
                value={value}
                required
                rows={3}
                spellCheck={false}
                placeholder="loft-beam/temperature - terrace-mast/temperature"
                onChange={(event) => set(event.target.value)}
                className="field font-mono"
              />
            ) : one.choices.length > 0 ? (
              <select value={value} onChange={(event) => set(event.target.value)} className="field">
                {one.choices.map((choice) => (
                  <option key={choice}>{choice}</option>
                ))}
              </select>
            ) : (
              <input
                value={value}
                required={one.default === null}
                inputMode={one.time ? "text" : "decimal"}
                onChange={(event) => set(event.target.value)}
                className="field"
              />
            )}
          </Labelled>
        );
      })}
      <Labelled label="Name">
        <input
          value={title}
          placeholder={method.title}
          onChange={(event) => setTitle(event.target.value)}
          className="field"
        />
      </Labelled>
      {add.error && <Failure error={add.error} />}
      <div className="flex flex-wrap justify-end gap-3">
        <Button onClick={close}>Leave it</Button>
        <Button type="submit" look="main" disabled={add.isPending}>
          Add it
        </Button>
      </div>
    </form>
  );
}

const titleOf = (name: string) => TITLES[name] ?? firstUp(name.replace("_", " "));
const TITLES: Record<string, string> = { frsi: "fRsi", text: "Formula" };
const hintOf = (about: string) => `${firstUp(about)}.`;
const firstUp = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

function fromOf(source: string | undefined, place: number): string {
  if (source === "a number" || source === "two states") return "From the value";
  return `From the ${source}${place === 2 ? " outside" : ""}`;
}

/** Whether an entity can be such a source: a kind, one of several, or any of a sort. */
function isA(entity: Entity, source: string | undefined): boolean {
  if (source === "two states") return entity.drawn === "states" && entity.kind !== "choice";
  if (entity.words !== null || entity.drawn === "marks") return false;
  return !source || source === "a number" || source.split(" or ").includes(entity.kind);
}
