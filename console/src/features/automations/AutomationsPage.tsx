// What the house does by itself: each automation as a sentence, and where it stands.
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import * as changes from "../../api/changes";
import type { Automation } from "../../api/client";
import { keys, useAutomations, useEntities, useSequences } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Ago, Await, Button, Empty, Labelled, Mark, Page } from "../../ui/parts";
import { visible } from "../../ui/visible";
import { Scenes } from "./Scenes";
import { Sequences } from "./Sequences";

export function AutomationsPage() {
  const automations = useAutomations();
  const sequences = useSequences();
  return (
    <Page
      title="Automations"
      aside={
        <Link
          to="/automations/new"
          className="rounded-sm border border-act bg-act px-3 py-1 font-medium text-on-act"
        >
          New automation
        </Link>
      }
    >
      <Await of={automations} lines={6}>
        {(found) =>
          found.length === 0 ? (
            <Empty>There are no automations yet.</Empty>
          ) : (
            <Rooms automations={found} />
          )
        }
      </Await>
      {/* What comes late must not move from under a finger what is there already. */}
      {!automations.isPending && <Sequences />}
      {!automations.isPending && !sequences.isPending && <Scenes />}
    </Page>
  );
}

/** So many are seen at a glance; of more, one looks for one. */
const AT_A_GLANCE = 5;
/** So many are drawn at first: a browser takes seconds to draw thousands. */
const DRAWN_AT_ONCE = 200;

function Rooms({ automations }: { automations: Automation[] }) {
  const [wanted, setWanted] = useState("");
  const [most, setMost] = useState(DRAWN_AT_ONCE);
  const fitting = automations.filter((one) => fits(one, wanted));
  const found = fitting.slice(0, most);
  const more = fitting.length - found.length;
  const rooms = [...new Set(found.map((one) => one.room ?? ""))].sort();
  // What belongs to no room comes last.
  const ordered = [...rooms.filter((room) => room), ...rooms.filter((room) => !room)];
  const many = automations.length > AT_A_GLANCE;
  return (
    <>
      {many && (
        <div className="mb-4 max-w-sm">
          <Labelled label="Find">
            <input
              type="search"
              value={wanted}
              onChange={(event) => setWanted(event.target.value)}
              className="field"
            />
          </Labelled>
        </div>
      )}
      {found.length === 0 && <Empty>None of them says that.</Empty>}
      {(many ? ordered : [null]).map((room) => (
        <section key={room ?? "all"} aria-label={room === null ? "All" : room || "The house"}>
          {room !== null && (
            <h2 className="mt-6 mb-2 text-faint text-sm uppercase tracking-wide">
              {room || "The house"}
            </h2>
          )}
          <ul>
            {found
              .filter((one) => room === null || (one.room ?? "") === room)
              .map((one) => (
                <Row key={one.automation} automation={one} under={room !== null} />
              ))}
          </ul>
        </section>
      ))}
      {more > 0 && (
        <p className="mt-4">
          {more.toLocaleString("en")} more.{" "}
          <Button onClick={() => setMost(most + DRAWN_AT_ONCE)}>
            Show the next {Math.min(more, DRAWN_AT_ONCE)}
          </Button>
        </p>
      )}
    </>
  );
}

/** Whether all words stand in what an automation says. */
function fits(automation: Automation, wanted: string): boolean {
  const { name, sentence, about, text } = automation;
  const said = `${name} ${sentence} ${about} ${text}`.toLowerCase();
  return wanted
    .toLowerCase()
    .split(/\s+/)
    .every((word) => said.includes(word));
}

function Row({ automation, under }: { automation: Automation; under: boolean }) {
  const Heading = under ? "h3" : "h2";
  const cache = useQueryClient();
  const duty = useChange({
    mutationFn: (enabled: boolean) => changes.changeAutomation(automation.automation, { enabled }),
    onSettled: () => cache.invalidateQueries({ queryKey: keys.automations }),
  });
  const seen = useChange({
    mutationFn: () => changes.acknowledge(automation.automation),
    onSettled: () => cache.invalidateQueries({ queryKey: keys.automations }),
  });
  return (
    <li className="rule border-t py-4">
      <div className="flex flex-wrap items-baseline gap-x-5 gap-y-1">
        <Heading className="text-xl">
          <Link className="text-act hover:underline" to={`/automations/${automation.automation}`}>
            {automation.name}
          </Link>
        </Heading>
        <Standing automation={automation} />
        {automation.reminds && (
          <button
            type="button"
            className="text-act underline"
            onClick={() => seen.mutate()}
            disabled={seen.isPending}
          >
            I see to it<span className="sr-only">: {automation.name}</span>
          </button>
        )}
        <button
          type="button"
          className="ml-auto text-act underline"
          onClick={() => duty.mutate(!automation.enabled)}
          disabled={duty.isPending}
        >
          {automation.enabled ? "take off duty" : "put on duty"}
          <span className="sr-only"> {automation.name}</span>
        </button>
      </div>
      <p className="mt-1 max-w-[75ch]">{automation.sentence}</p>
      <p className="mt-1 text-faint text-sm">
        {automation.started_at === null ? (
          "never started"
        ) : (
          <>
            last started <Ago at={automation.started_at} />, {times(automation.started_lately)} in
            the last seven days
          </>
        )}
      </p>
      {automation.about && <p className="mt-1 text-faint text-sm">{automation.about}</p>}
      {duty.error && <Mark grave>{duty.error.message}</Mark>}
      {seen.error && <Mark grave>{seen.error.message}</Mark>}
    </li>
  );
}

function times(count: number): string {
  return count === 0 ? "not once" : count === 1 ? "once" : count === 2 ? "twice" : `${count} times`;
}

export function Standing({ automation }: { automation: Automation }) {
  if (automation.mistakes[0]) return <Mark grave>cannot run: {automation.mistakes[0].what}</Mark>;
  if (automation.stopped) return <Mark grave>stopped: {automation.stopped}</Mark>;
  if (!automation.enabled) return <span className="text-faint">off duty</span>;
  const words = {
    idle: "idle",
    holding: "holding, begun",
    waiting: "waiting until it may act",
    on: "on, started",
  };
  const since = automation.phase === "holding" || automation.phase === "on";
  return (
    <span className={automation.phase === "on" ? "font-semibold" : "text-faint"}>
      {words[automation.phase]} {since && <Ago at={automation.since} />}
      {automation.left_alone.length > 0 && <LeftAlone entities={automation.left_alone} />}
    </span>
  );
}

/** What a person has set since it started: it stays theirs. */
function LeftAlone({ entities }: { entities: string[] }) {
  const known = useEntities();
  const names = entities.map(
    (address) => known.data?.find((one) => one.entity === address)?.spoken ?? address,
  );
  return (
    <span className="font-normal text-faint"> · set by hand: {visible(names.join(", "))}</span>
  );
}
