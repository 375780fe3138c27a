// One node: where it is, what it has, and taking it out.
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import * as changes from "../../api/changes";
import type { HubNode } from "../../api/client";
import { keys, useEntities, useNodes } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { byPart } from "../../parts/board/tiles";
import { linkTitle } from "../../ui/links";
import { Ago, Await, Button, Failure, Labelled, Mark, Page } from "../../ui/parts";
import { RoomField } from "../../ui/RoomField";
import { Sheet } from "../../ui/Sheet";
import { exact } from "../../ui/time";
import { useAnchor } from "../../ui/useAnchor";
import { visible } from "../../ui/visible";
import { AddPosted, EntityRow } from "./EntityRow";
import { Key } from "./Key";
import { NewSecret } from "./NewSecret";
import { Actions, OwnSettings } from "./OwnSettings";
import { Profile } from "./Profile";
import { State } from "./State";

export function NodePage() {
  const { node: address = "" } = useParams();
  const nodes = useNodes();
  return (
    <Await of={nodes}>
      {(all) => {
        const node = all.find((n) => n.node === address);
        return node ? (
          <Found node={node} />
        ) : (
          <Failure error={new Error(`There is no node ${address} in this house.`)} />
        );
      }}
    </Await>
  );
}

function Found({ node }: { node: HubNode }) {
  const entities = useEntities();
  useAnchor(true);
  const mine = entities.data?.filter((e) => e.node === node.node) ?? [];
  return (
    <Page title={visible(node.title)} aside={<code className="text-faint">{node.node}</code>}>
      <dl className="mb-8 flex flex-wrap gap-x-10 gap-y-2">
        <Fact name="link">{linkTitle(node.link)}</Fact>
        <Fact name="state">
          <State node={node} />
        </Fact>
        <Fact name="heard">
          <Ago at={node.heard_at} />
        </Fact>
        {node.way === "paired" && node.make && <Fact name="is">{node.make}</Fact>}
        {node.clock && (
          <Fact name="its clock">
            <Mark>{node.clock}</Mark>
          </Fact>
        )}
        <Fact name="let in">{exact(node.admitted_at)}</Fact>
        {node.url && (
          <Fact name="address">
            <code className="break-all text-sm">{node.url}</code>
          </Fact>
        )}
        {node.refused > 0 && (
          <Fact name="could not be taken">
            <Link to={`/journal?node=${node.node}`} className="underline">
              <Mark>
                {node.refused} {node.refused === 1 ? "value or message" : "values or messages"}
              </Mark>
            </Link>
          </Fact>
        )}
      </dl>
      <h2 className="mb-3 text-xl">What it has</h2>
      <ul className="mb-10">
        {byPart(mine).map((entity) => (
          <EntityRow key={entity.entity} entity={entity} />
        ))}
        {node.unit_notes.map((text) => (
          <li key={text} className="rule border-t py-2 text-sm">
            <Mark>{visible(text)}, with “change”.</Mark>
          </li>
        ))}
        {node.left_out.map((text) => (
          <li key={text} className="rule border-t py-2 text-faint text-sm">
            left out: {visible(text)}
          </li>
        ))}
        {node.way === "foreign" && node.has_key && (
          <li className="rule border-t py-2">
            <AddPosted node={node.node} />
          </li>
        )}
      </ul>
      {(node.settings.length > 0 || node.actions.length > 0) && (
        <div className="mb-10 grid gap-10 lg:grid-cols-2">
          <OwnSettings node={node} />
          <Actions node={node} />
        </div>
      )}
      {node.way === "described" && (node.shut_out || node.url) && <NewSecret node={node} />}
      {(node.way === "senml" || node.way === "foreign") && <Key node={node} />}
      {node.link === "zigbee" && <Profile node={node} />}
      {node.link === "zigbee" && <Again node={node} />}
      <div className="flex flex-wrap items-end justify-between gap-6">
        <Place node={node} />
        <Remove node={node} />
      </div>
    </Page>
  );
}

/** A node may have been silent about some of what it has: it is asked once more. */
function Again({ node }: { node: HubNode }) {
  const again = useChange({
    mutationFn: () => changes.askNodeAgain(node.node),
  });
  return (
    <section aria-label="What it has" className="mb-10 flex flex-wrap items-center gap-4">
      <Button onClick={() => again.mutate()} disabled={again.isPending}>
        Ask again
      </Button>
      <span aria-live="polite" className="text-faint">
        {again.isSuccess
          ? "asked; what it says comes up by itself"
          : "The hub asks the node again what it has."}
      </span>
      {again.error && <Failure error={again.error} />}
    </section>
  );
}

function Fact({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <div>
      <dt className="text-faint text-sm">{name}</dt>
      <dd>{children}</dd>
    </div>
  );
}

function useRefresh() {
  const cache = useQueryClient();
  return () => {
    for (const queryKey of [keys.nodes, keys.entities, keys.house])
      void cache.invalidateQueries({ queryKey });
  };
}

function Place({ node }: { node: HubNode }) {
  const refresh = useRefresh();
  const change = useChange({
    mutationFn: (body: { title: string; room: string }) => changes.changeNode(node.node, body),
    onSuccess: refresh,
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    change.mutate({ title: String(values.get("title")), room: String(values.get("room")) });
  }
  return (
    <form id="place" onSubmit={submit} className="flex flex-wrap items-end gap-4">
      <Labelled label="Name">
        <input name="title" required defaultValue={node.title} className="field" />
      </Labelled>
      <RoomField value={node.room ?? ""} />
      <Button type="submit" disabled={change.isPending}>
        Save
      </Button>
      <span aria-live="polite" className="text-faint">
        {change.isSuccess && "saved"}
      </span>
      {change.error && <Failure error={change.error} />}
    </form>
  );
}

function Remove({ node }: { node: HubNode }) {
  const [asking, setAsking] = useState(false);
  const refresh = useRefresh();
  const navigate = useNavigate();
  const remove = useChange({
    mutationFn: (history: "keep" | "delete") => changes.removeNode(node.node, { history }),
    onSuccess: () => {
      refresh();
      void navigate("/nodes");
    },
  });
  return (
    <>
      <Button look="grave" onClick={() => setAsking(true)}>
        Take it out …
      </Button>
      <Sheet open={asking} close={() => setAsking(false)} title={`Take ${node.title} out?`}>
        <p className="mb-4">
          {node.way === "paired" ? "It is told to leave" : "Its key is void at once"}, and
          automations that look at it stop. If its history is kept, it goes on when the node is let
          in again.
        </p>
        {remove.error && <Failure error={remove.error} />}
        <div className="flex flex-wrap justify-end gap-3">
          <Button onClick={() => setAsking(false)}>Leave it in</Button>
          <Button look="grave" onClick={() => remove.mutate("delete")}>
            Remove and delete its history
          </Button>
          <Button look="main" onClick={() => remove.mutate("keep")}>
            Remove and keep its history
          </Button>
        </div>
      </Sheet>
    </>
  );
}
