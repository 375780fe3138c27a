// Pretend values, and what an automation would do with them. The house is not touched.
import { useMutation } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useEffect, useState } from "react";
import * as changes from "../../api/changes";
import { api, ask, type Schemas } from "../../api/client";
import { useEntities } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Failure, Labelled } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";
import { clock, houseMs, hubNow, isoDay, length } from "../../ui/time";
import { visible } from "../../ui/visible";
import { Moment, TimeLine } from "./DayLine";
import { PretendValue } from "./PretendValue";

// However long it lasts, its clock runs through it in this time.
const RUNS_MS = 8000;
const TICK_MS = 50;

interface Pretended {
  id: number;
  after: string;
  entity: string;
  value: string;
}

const EDGES = { start: "It starts", end: "It ends", lost: "It cannot see", "": "Later" } as const;

export function Rehearse({
  text,
  entities,
  automation,
}: {
  text: string;
  entities: string[];
  automation: string;
}) {
  const known = useEntities();
  const entityOf = (address: string) => known.data?.find((one) => one.entity === address);
  const spoken = (address: string) => entityOf(address)?.spoken ?? address;
  const [open, setOpen] = useState(false);
  const [first = ""] = entities;
  const [begins, setBegins] = useState("");
  const [lasts, setLasts] = useState("");
  const [said, setSaid] = useState<Pretended[]>([{ id: 0, after: "", entity: "", value: "" }]);
  const found = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/automations/rehearse", {
          body: {
            text,
            lasts,
            at: begins.trim() ? (houseMs(begins) ?? 0) : 0,
            said: said
              .filter((one) => one.value.trim())
              .map(({ after, entity, value }) => ({ after, entity: entity || first, value })),
          },
        }),
      ),
  });
  const change = (id: number, made: Partial<Pretended>) =>
    setSaid((before) => before.map((one) => (one.id === id ? { ...one, ...made } : one)));
  return (
    <details
      className="rule mt-10 border-t pt-4"
      onToggle={(event) => setOpen(event.currentTarget.open)}
    >
      <summary className="cursor-pointer text-xl">Rehearse it with pretend values</summary>
      <p className="mt-2 text-faint">
        Each value stands until the next one of the same entity; what you do not pretend is as it is
        now. The house is not touched.
      </p>
      <form
        className="mt-3"
        onSubmit={(event) => {
          event.preventDefault();
          found.mutate();
        }}
      >
        <ul className="space-y-2">
          {(entities.length > 0 ? said : []).map((one, place) => (
            <li key={one.id} className="flex flex-wrap items-center gap-2">
              <input
                aria-label={`When, value ${place + 1}`}
                placeholder="at once"
                value={one.after}
                onChange={(event) => change(one.id, { after: event.target.value })}
                className="field w-28"
              />
              {entities.length > 1 ? (
                <select
                  aria-label={`What, value ${place + 1}`}
                  value={one.entity || first}
                  onChange={(event) => change(one.id, { entity: event.target.value })}
                  className="field max-w-64"
                >
                  {entities.map((address) => (
                    <option key={address} value={address}>
                      {spoken(address)}
                    </option>
                  ))}
                </select>
              ) : (
                <span>{visible(spoken(first))} is</span>
              )}
              <PretendValue
                entity={open ? entityOf(one.entity || first) : undefined}
                text={text}
                label={`Value ${place + 1}`}
                value={one.value}
                onValue={(value) => change(one.id, { value })}
                onRest={() => {
                  if (one.value.trim()) found.mutate();
                }}
              />
              {said.length > 1 && (
                <button
                  type="button"
                  aria-label={`Take value ${place + 1} out`}
                  onClick={() => setSaid((before) => before.filter((other) => other !== one))}
                  className="text-faint pointer-coarse:min-h-11 pointer-coarse:min-w-8"
                >
                  <X aria-hidden className="size-4" />
                </button>
              )}
            </li>
          ))}
        </ul>
        <div className="mt-3 flex flex-wrap gap-4">
          <Labelled label="The clock begins at" hint="By the house’s clock; empty for now.">
            <input
              placeholder={`${isoDay(hubNow())} 22:00`}
              value={begins}
              pattern="\s*(\d{4}-\d\d-\d\d[ T]\d\d:\d\d\s*)?"
              onChange={(event) => setBegins(event.target.value)}
              className="field w-48"
            />
          </Labelled>
          <Labelled label="And goes on for" hint="After the last value.">
            <input
              placeholder={entities.length > 0 ? "1 h" : "1 d"}
              value={lasts}
              onChange={(event) => setLasts(event.target.value)}
              className="field w-28"
            />
          </Labelled>
        </div>
        <div className="mt-3 flex flex-wrap gap-3">
          <Button
            type="button"
            disabled={entities.length === 0}
            onClick={() =>
              setSaid((before) => [
                ...before,
                {
                  id: Math.max(...before.map((one) => one.id)) + 1,
                  after: "10 min",
                  entity: "",
                  value: "",
                },
              ])
            }
          >
            Then another value
          </Button>
          <Button
            type="submit"
            look="main"
            disabled={
              found.isPending || (entities.length > 0 && !said.some((one) => one.value.trim()))
            }
          >
            Rehearse
          </Button>
          {automation && <ForReal automation={automation} />}
        </div>
      </form>
      {found.error && <Failure error={found.error} />}
      {found.data && <Course key={found.submittedAt} of={found.data} />}
    </details>
  );
}

/** Its actions, for real: after one more question. */
function ForReal({ automation }: { automation: string }) {
  const [asking, setAsking] = useState(false);
  const run = useChange({
    mutationFn: (edge: "start" | "end") => changes.runActions(automation, edge),
    onSuccess: () => setAsking(false),
  });
  return (
    <>
      <Button onClick={() => setAsking(true)}>Run its actions …</Button>
      {run.isSuccess && <span role="status">They are under way.</span>}
      <Sheet open={asking} close={() => setAsking(false)} title="Run its actions now?">
        <p className="mb-4">
          Its switches switch and its notices are sent now, ignoring its conditions. Its state does
          not change.
        </p>
        {run.error && <Failure error={run.error} />}
        <div className="flex flex-wrap justify-end gap-3">
          <Button onClick={() => setAsking(false)}>Leave it</Button>
          <Button look="grave" onClick={() => run.mutate("end")}>
            Run end actions
          </Button>
          <Button look="grave" onClick={() => run.mutate("start")}>
            Run start actions
          </Button>
        </div>
      </Sheet>
    </>
  );
}

/** The rehearsal's clock, moved by hand or let run: what comes later is faint. */
function Course({ of }: { of: Schemas["Rehearsal"] }) {
  const [at, setAt] = useState(of.end);
  const [runs, setRuns] = useState(false);
  useEffect(() => {
    if (!runs) return;
    const timer = window.setInterval(() => {
      setAt((before) => Math.min(of.end, before + (of.end - of.start) / (RUNS_MS / TICK_MS)));
    }, TICK_MS);
    return () => window.clearInterval(timer);
  }, [runs, of]);
  const over = at >= of.end;
  useEffect(() => {
    if (over) setRuns(false);
  }, [over]);
  return (
    <div className="mt-4">
      <TimeLine of={of} at={at} />
      <Moment
        label="The clock of the rehearsal"
        start={of.start}
        end={of.end}
        at={at}
        onAt={(moment) => {
          setRuns(false);
          setAt(moment);
        }}
      />
      <div className="mt-2 mb-4 flex items-center gap-4">
        <Button
          onClick={() => {
            if (over) setAt(of.start);
            setRuns(!runs);
          }}
        >
          {runs ? "Stop the clock" : "Let the clock run"}
        </Button>
        <span className="text-lg">{clock(at).slice(0, 5)}</span>
      </div>
      <Steps of={of} at={at} />
    </div>
  );
}

function Steps({ of, at }: { of: Schemas["Rehearsal"]; at: number }) {
  if (of.steps.length === 0)
    return (
      <p role="status" className="mt-4">
        Nothing happens until {clock(of.end).slice(0, 5)}.
      </p>
    );
  return (
    <ol aria-label="What happens" className="mt-4">
      {of.steps.map((one) => (
        <li
          key={`${one.at} ${one.edge} ${one.effects.join()}`}
          className={`rule border-t py-2 ${one.at > at ? "text-faint" : ""}`}
        >
          <span className="text-faint">
            {one.after_ms < 1000 ? "at once" : `after ${length(one.after_ms)}`}
          </span>{" "}
          <span className="font-medium">{EDGES[one.edge]}</span>
          {one.text && `: ${visible(one.text)}`}
          {one.effects.length > 0 && (
            <span className="block text-faint">
              {one.effects.map((effect) => visible(effect)).join("; ")}
            </span>
          )}
        </li>
      ))}
    </ol>
  );
}
