// One value of a node: what it is now, and what is kept behind "change": its name,
// hidden or shown, taking it away.
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import * as changes from "../../api/changes";
import type { Entity } from "../../api/client";
import { keys } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Control } from "../../parts/Control";
import { Button, Failure, Labelled, Since } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";
import { visible } from "../../ui/visible";
import { KindField } from "./KindField";

export function EntityRow({ entity }: { entity: Entity }) {
  const [changing, setChanging] = useState(false);
  return (
    <li className="rule flex flex-wrap items-baseline gap-x-4 border-t py-1.5 sm:items-center">
      <span className="min-w-0 flex-1 basis-32 break-words">
        <Link className="text-act hover:underline" to={`/readings/${entity.entity}`}>
          {visible(entity.title)}
        </Link>
        {entity.hidden && <span className="block text-faint text-sm">hidden</span>}
        {entity.picked && (
          <code className="block break-all text-faint text-sm">{entity.picked}</code>
        )}
      </span>
      {entity.writable && (
        <span className="order-last w-full pb-2 sm:order-none sm:w-72">
          <Control entity={entity} />
        </span>
      )}
      <span className={`sm:w-48 sm:text-right ${entity.quality === "bad" ? "text-madder" : ""}`}>
        {entity.shown || "nothing heard yet"}
        {entity.quality === "bad" && ` (${entity.reason})`}
        {entity.since && (
          <span className="ml-2 text-faint text-sm">
            <Since entity={entity} />
          </span>
        )}
      </span>
      <button
        type="button"
        className="text-act text-sm underline pointer-coarse:min-h-11"
        aria-label={`Change ${entity.title}`}
        onClick={() => setChanging(true)}
      >
        change
      </button>
      {changing && <Change entity={entity} close={() => setChanging(false)} />}
    </li>
  );
}

function Change({ entity, close }: { entity: Entity; close: () => void }) {
  const cache = useQueryClient();
  const done = () => {
    for (const queryKey of [keys.entities, keys.nodes]) void cache.invalidateQueries({ queryKey });
    close();
  };
  const change = useChange({
    mutationFn: (body: { title: string; hidden: boolean; kind?: string; unit: string }) =>
      changes.changeEntity(entity.entity, body),
    onSuccess: done,
  });
  const remove = useChange({
    mutationFn: () => changes.removeEntity(entity.entity),
    onSuccess: done,
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    const kind = String(values.get("kind") ?? entity.kind);
    const unit = String(values.get("unit") ?? "");
    const other = kind !== entity.kind || unit !== entity.wire_unit;
    change.mutate({
      title: String(values.get("title")),
      hidden: !values.has("shown"),
      // Its past keeps what it was: only what is another is said.
      ...(other ? { kind, unit } : { unit: "" }),
    });
  }
  return (
    <Sheet open close={close} title={entity.spoken}>
      <form onSubmit={submit} className="space-y-4">
        <Labelled label="Name" hint={`Its address stays ${entity.entity}.`}>
          <input name="title" required defaultValue={entity.title} className="field" />
        </Labelled>
        <KindField kind={entity.kind} unit={entity.wire_unit} hint="Its past keeps what it was." />
        <label className="flex items-center gap-2">
          <input type="checkbox" name="shown" defaultChecked={!entity.hidden} /> shown in its room
        </label>
        {(change.error ?? remove.error) && (
          <Failure error={(change.error ?? remove.error) as Error} />
        )}
        <div className="flex flex-wrap justify-end gap-3">
          {entity.picked && (
            <Button look="grave" className="mr-auto" onClick={() => remove.mutate()}>
              Remove it and its history
            </Button>
          )}
          <Button onClick={close}>Leave it</Button>
          <Button type="submit" look="main">
            Save
          </Button>
        </div>
      </form>
    </Sheet>
  );
}

/** One more value that a node posts. */
export function AddPosted({ node }: { node: string }) {
  const cache = useQueryClient();
  const [round, setRound] = useState(0);
  const add = useChange({
    mutationFn: (body: { title: string; kind: string; unit: string; pointer: string }) =>
      changes.addEntity(node, body),
    onSuccess: () => {
      for (const queryKey of [keys.entities, keys.nodes])
        void cache.invalidateQueries({ queryKey });
      setRound(round + 1);
    },
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    const text = (name: string) => String(values.get(name) ?? "").trim();
    add.mutate({
      title: text("title"),
      kind: text("kind"),
      unit: text("unit"),
      pointer: text("pointer"),
    });
  }
  return (
    <form key={round} onSubmit={submit} className="flex flex-wrap items-end gap-4">
      <Labelled label="One more value that it posts">
        <input name="title" required className="field" placeholder="Temperature" />
      </Labelled>
      <KindField kind="" unit="" />
      <Labelled label="Stands in JSON at">
        <input
          name="pointer"
          className="field"
          autoComplete="off"
          placeholder="/climate/t, or nothing"
        />
      </Labelled>
      <Button type="submit" disabled={add.isPending}>
        Add it
      </Button>
      {add.error && <Failure error={add.error} />}
    </form>
  );
}
