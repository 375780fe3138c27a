// Nodes that do not ask by themselves: one at an address, one that posts its values,
// and setup codes for those yet to be built.
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link } from "react-router";
import * as changes from "../../api/changes";
import { type Arrival, api, ask } from "../../api/client";
import { keys } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Failure, Labelled } from "../../ui/parts";
import { RoomField } from "../../ui/RoomField";
import { Sheet } from "../../ui/Sheet";
import { Admit } from "./Admit";
import { KeyShown } from "./Key";

type Way = "address" | "posting" | "code";

export function AddNode() {
  const [way, setWay] = useState<Way | null>(null);
  const close = () => setWay(null);
  return (
    <div className="mt-4 flex flex-wrap items-baseline gap-x-5 gap-y-2 text-sm">
      <span className="text-faint">The node does not ask to join?</span>
      <Opener text="It has an address" open={() => setWay("address")} />
      <Opener text="It posts its values" open={() => setWay("posting")} />
      <Link className="text-act underline" to="/messages">
        It publishes on a topic
      </Link>
      <Opener text="It needs a setup code" open={() => setWay("code")} />
      {way === "address" && <ByAddress close={close} />}
      {way === "posting" && <Posting close={close} />}
      {way === "code" && <SetupCode close={close} />}
    </div>
  );
}

function Opener({ text, open }: { text: string; open: () => void }) {
  return (
    <button type="button" className="text-act underline" onClick={open}>
      {text}
    </button>
  );
}

function ByAddress({ close }: { close: () => void }) {
  const cache = useQueryClient();
  const [found, setFound] = useState<Arrival | null>(null);
  const look = useChange({
    mutationFn: (address: string) => changes.lookAt(address),
    onSuccess: (arrival) => {
      void cache.invalidateQueries({ queryKey: keys.arrivals });
      setFound(arrival);
    },
  });
  if (found) return <Admit arrival={found} close={close} />;
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    look.mutate(String(new FormData(event.currentTarget).get("address")));
  }
  return (
    <Sheet open close={close} title="A node with an address">
      <form onSubmit={submit} className="space-y-4">
        <Labelled
          label="Address"
          hint="The node’s own, like 192.168.1.20, or that of its Thing Description."
        >
          <input name="address" required autoComplete="off" className="field" />
        </Labelled>
        {look.error && <Failure error={look.error} />}
        <div className="flex justify-end gap-3">
          <Button onClick={close}>Not now</Button>
          <Button type="submit" look="main" disabled={look.isPending}>
            Look
          </Button>
        </div>
      </form>
    </Sheet>
  );
}

function Posting({ close }: { close: () => void }) {
  const cache = useQueryClient();
  const add = useChange({
    mutationFn: (body: { name: string; room: string }) => changes.addNode(body),
    onSuccess: () => {
      for (const queryKey of [keys.nodes, keys.house]) void cache.invalidateQueries({ queryKey });
    },
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    add.mutate({ name: String(values.get("name")), room: String(values.get("room")) });
  }
  return (
    <Sheet open close={close} title="A node that posts its values">
      {add.data ? (
        <>
          <KeyShown made={add.data} />
          <p className="mb-4">
            Say on{" "}
            <Link className="text-act underline" to={`/nodes/${add.data.node}`} onClick={close}>
              its page
            </Link>{" "}
            what it posts.
          </p>
          <div className="flex justify-end">
            <Button look="main" onClick={close}>
              I have the key
            </Button>
          </div>
        </>
      ) : (
        <form onSubmit={submit} className="space-y-4">
          <Labelled label="Name">
            <input name="name" required autoComplete="off" className="field" />
          </Labelled>
          <RoomField />
          {add.error && <Failure error={add.error} />}
          <div className="flex justify-end gap-3">
            <Button onClick={close}>Not now</Button>
            <Button type="submit" look="main" disabled={add.isPending}>
              Add it
            </Button>
          </div>
        </form>
      )}
    </Sheet>
  );
}

function SetupCode({ close }: { close: () => void }) {
  const make = useChange({
    mutationFn: (query: { thing: string; code: string }) =>
      ask(api.GET("/api/setup-code", { params: { query } })),
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    make.mutate({ thing: String(values.get("thing")), code: String(values.get("code")) });
  }
  return (
    <Sheet open close={close} title="A setup code to stick on a node">
      <form onSubmit={submit} className="space-y-4">
        <Labelled label="The node’s id" hint="The id in its Thing Description, like urn:uuid:…">
          <input name="thing" required autoComplete="off" className="field" />
        </Labelled>
        <Labelled
          label="Its setup code"
          hint="Leave it empty for a new one, to be given to the node."
        >
          <input name="code" autoComplete="off" className="field" />
        </Labelled>
        {make.error && <Failure error={make.error} />}
        {make.data && (
          <figure className="text-center">
            <img
              className="mx-auto w-56"
              alt={`QR code of ${make.data.address}`}
              src={`data:image/svg+xml;utf8,${encodeURIComponent(make.data.svg)}`}
            />
            <figcaption>
              <span className="font-semibold text-xl">{make.data.code}</span>
              <code className="block break-all text-faint text-sm">{make.data.address}</code>
            </figcaption>
          </figure>
        )}
        <div className="flex justify-end gap-3">
          <Button onClick={close}>Close</Button>
          <Button type="submit" look="main" disabled={make.isPending}>
            Draw it
          </Button>
        </div>
      </form>
    </Sheet>
  );
}
