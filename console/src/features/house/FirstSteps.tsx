// The first hour of an empty hub: four steps, each of which can be skipped and come back to.
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link, useSearchParams } from "react-router";
import * as changes from "../../api/changes";
import type { Floor, House } from "../../api/client";
import { keys, useHouse, useNodes } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Await, Button, Failure, Labelled, Page } from "../../ui/parts";
import { Pairing } from "../nodes/Pairing";
import { TakeHere } from "../notices/TakeHere";
import { type Planned, planOf, typedOf } from "./plan";
import { Section } from "./Section";

const STEPS = ["The house", "Floors and rooms", "The first node", "Notices"] as const;

export function FirstStepsPage() {
  return (
    <Page title="First steps">
      <FirstSteps />
    </Page>
  );
}

/** The step is in the address, counted from 1: a page that is loaded again goes on
    there. */
export function FirstSteps() {
  const house = useHouse();
  const [query, setQuery] = useSearchParams();
  const asked = Math.trunc(Number(query.get("step") ?? 1)) || 1;
  const step = Math.min(Math.max(asked, 1), STEPS.length + 1) - 1;
  const setStep = (to: number) => setQuery({ step: String(to + 1) }, { replace: true });
  const next = () => setStep(Math.min(step + 1, STEPS.length));
  return (
    <div className="max-w-3xl">
      <ol aria-label="First steps" className="mb-6 flex flex-wrap gap-x-6 gap-y-1">
        {STEPS.map((name, place) => (
          <li key={name}>
            <button
              type="button"
              aria-current={place === step ? "step" : undefined}
              onClick={() => setStep(place)}
              className="min-h-9 border-transparent border-b-2 text-act aria-[current=step]:border-act aria-[current=step]:text-ink"
            >
              {place + 1}. {name}
            </button>
          </li>
        ))}
      </ol>
      <Await of={house} lines={5}>
        {(found) => (
          <>
            {step === 0 && <NameIt house={found} next={next} />}
            {step === 1 && <DrawIt floors={found.floors} next={next} />}
            {step === 2 && <FirstNode next={next} />}
            {step === 3 && <Notices next={next} />}
            {step === STEPS.length && <Finished />}
          </>
        )}
      </Await>
    </div>
  );
}

function Foot({ next, busy, action }: { next: () => void; busy?: boolean; action?: string }) {
  return (
    <div className="mt-6 flex gap-3">
      {action && (
        <Button type="submit" look="main" disabled={busy}>
          {action}
        </Button>
      )}
      <Button onClick={next}>{action ? "Skip this" : "Go on"}</Button>
    </div>
  );
}

function NameIt({ house, next }: { house: House; next: () => void }) {
  const cache = useQueryClient();
  const here = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const zones = Intl.supportedValuesOf("timeZone");
  const save = useChange({
    mutationFn: (body: { name: string; time_zone: string }) => changes.changeHouse(body),
    onSuccess: (fresh) => {
      cache.setQueryData(keys.house, fresh);
      next();
    },
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    save.mutate({ name: String(values.get("name")), time_zone: String(values.get("zone")) });
  }
  return (
    <form onSubmit={submit} className="space-y-4">
      <Labelled label="What is the house called?" hint="Every page and notice shows it.">
        <input name="name" required maxLength={80} defaultValue={house.name} className="field" />
      </Labelled>
      <Labelled
        label="Which time zone is it in?"
        hint="All times are shown in this zone, wherever you are."
      >
        <select
          name="zone"
          className="field"
          defaultValue={zones.includes(here) ? here : house.time_zone}
        >
          {[...new Set([house.time_zone, ...zones])].map((zone) => (
            <option key={zone}>{zone}</option>
          ))}
        </select>
      </Labelled>
      {save.error && <Failure error={save.error} />}
      <Foot next={next} busy={save.isPending} action="Keep it" />
    </form>
  );
}

function DrawIt({ floors, next }: { floors: Floor[]; next: () => void }) {
  const cache = useQueryClient();
  const [typed, setTyped] = useState(() => typedOf(floors));
  const planned = planOf(typed);
  const save = useChange({
    mutationFn: async (plan: Planned[]) => {
      // From the ground up; what is there already stays.
      for (const floor of [...plan].reverse()) {
        const known = floors.find((one) => same(one.name, floor.name));
        if (!known) await changes.addFloor(floor.name);
        for (const room of floor.rooms) {
          const there = floors.some((f) => f.rooms.some((r) => same(r.name, room)));
          if (!there) await changes.addRoom({ name: room, floor: known?.name ?? floor.name });
        }
      }
    },
    onSettled: () => cache.invalidateQueries({ queryKey: keys.house }),
    onSuccess: next,
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    save.mutate(planned);
  }
  return (
    <form onSubmit={submit}>
      <div className="grid gap-8 md:grid-cols-2">
        <Labelled
          label="One line per floor, from the top, with its rooms after a colon"
          hint="Rooms can be added, renamed and moved later, under Settings."
        >
          <textarea
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
            rows={7}
            spellCheck={false}
            placeholder={"Upper floor: Bedroom, Bath\nGround floor: Kitchen, Hall"}
            className="field"
          />
        </Labelled>
        <div aria-live="polite">
          {planned.length > 0 && <Section floors={drawn(planned)} entities={[]} />}
        </div>
      </div>
      {save.error && <Failure error={save.error} />}
      <Foot next={next} busy={save.isPending || planned.length === 0} action="Build it" />
    </form>
  );
}

const same = (a: string, b: string) => a.trim().toLowerCase() === b.trim().toLowerCase();

/** The plan as the section draws a house. */
function drawn(plan: Planned[]): Floor[] {
  return plan.map((floor, place) => ({
    id: place,
    name: floor.name,
    position: plan.length - place,
    rooms: floor.rooms.map((name, position) => ({
      room: `${place}-${position}`,
      name,
      floor: floor.name,
      position,
    })),
  }));
}

function FirstNode({ next }: { next: () => void }) {
  const nodes = useNodes();
  const count = nodes.data?.length ?? 0;
  return (
    <>
      <p className="mb-4">
        Open pairing, and hold a node’s button until it blinks. It then appears here. Nodes on Wi-Fi
        may have an address or a setup code instead:{" "}
        <Link className="text-act underline" to="/nodes">
          the page of nodes
        </Link>{" "}
        has all the ways.
      </p>
      <Pairing />
      {count > 0 && (
        <p className="mt-4">{count === 1 ? "One node is" : `${count} nodes are`} in the house.</p>
      )}
      <Foot next={next} />
    </>
  );
}

function Notices({ next }: { next: () => void }) {
  return (
    <>
      <TakeHere />
      <Foot next={next} />
    </>
  );
}

function Finished() {
  return (
    <p className="font-serif text-lg">
      That is all.{" "}
      <Link className="text-act underline" to="/">
        The house
      </Link>{" "}
      is where everything starts; these steps stay under Settings.
    </p>
  );
}
