// A sensor's past from a file: what would be stored is shown before it is.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import {
  addressParts,
  api,
  ask,
  type EntityDetail,
  type Schemas,
  sendFile,
} from "../../api/client";
import { shown } from "../../api/readings";
import { useChange } from "../../api/useChange";
import { Button, Failure, Labelled, Mark } from "../../ui/parts";
import { exact } from "../../ui/time";
import { visible } from "../../ui/visible";
import { asKept } from "./Shown";

type Plan = Schemas["ImportPlan"];
type How = { value: string; unit: string; order: string };

export function ImportPast({ entity }: { entity: EntityDetail }) {
  const cache = useQueryClient();
  const [file, setFile] = useState<File | null>(null);
  const [how, setHow] = useState<How>({ value: "", unit: "", order: "" });
  const parts = { params: { path: addressParts(entity.entity) } };
  const made = useQuery({
    queryKey: ["imports", entity.entity],
    queryFn: () => ask(api.GET("/api/entities/{node}/{name}/imports", parts)),
  });
  const send = useChange({
    mutationFn: ({ of, apply, as }: { of: File; apply: boolean; as: How }) => {
      const given = Object.entries(as).filter(([, value]) => value);
      const query = new URLSearchParams([...given, ["file", of.name], ["apply", apply ? "1" : ""]]);
      return sendFile<Plan>(`/api/entities/${entity.entity}/imports?${query}`, of);
    },
    onSuccess: (plan) => plan.applied && void cache.invalidateQueries(),
  });
  const back = useChange({
    mutationFn: (number: number) =>
      ask(
        api.DELETE("/api/entities/{node}/{name}/imports/{number}", {
          params: { path: { ...addressParts(entity.entity), number } },
        }),
      ),
    onSuccess: () => {
      send.reset();
      void cache.invalidateQueries();
    },
  });
  const look = (of: File | null, as: How) => of && send.mutate({ of, apply: false, as });
  const change = (to: Partial<How>) => {
    const as = { ...how, ...to };
    setHow(as);
    look(file, as);
  };
  const plan = send.data;
  return (
    <details className="rule mt-6 border-t pt-3">
      <summary className="cursor-pointer text-act">Import its past from a file</summary>
      <div className="mt-3 flex flex-wrap items-end gap-x-6 gap-y-3">
        <Labelled label="A CSV, with columns in any order">
          <input
            type="file"
            accept=".csv,.txt,text/csv"
            onChange={(event) => {
              const of = event.target.files?.[0] ?? null;
              setFile(of);
              send.reset();
              look(of, how);
            }}
            className="block max-w-full text-sm"
          />
        </Labelled>
        <Labelled label="Column of the value">
          <input
            value={how.value}
            placeholder="found by itself"
            onChange={(event) => setHow({ ...how, value: event.target.value })}
            onBlur={() => look(file, how)}
            className="field w-40"
          />
        </Labelled>
        {entity.kept_in.choices.length > 1 && (
          <Labelled label="Unit">
            <select
              value={how.unit}
              onChange={(event) => change({ unit: event.target.value })}
              className="field"
            >
              <option value="">{entity.kept_in.unit}</option>
              {entity.kept_in.choices
                .filter((unit) => unit !== entity.kept_in.unit)
                .map((unit) => (
                  <option key={unit}>{unit}</option>
                ))}
            </select>
          </Labelled>
        )}
        <Labelled label="Days like 3/4/2026">
          <select
            value={how.order}
            onChange={(event) => change({ order: event.target.value })}
            className="field"
          >
            <option value="">there are none</option>
            <option value="dmy">3 April</option>
            <option value="mdy">4 March</option>
          </select>
        </Labelled>
      </div>
      {send.isPending && (
        <p role="status" className="mt-3 text-faint">
          The file is read …
        </p>
      )}
      {send.error && (
        <div className="mt-3">
          <Failure error={send.error} />
        </div>
      )}
      {plan && (
        <div role="status" className="mt-4 max-w-3xl space-y-1">
          {plan.layout.map((line) => (
            <p key={line} className="text-faint">
              {visible(line.charAt(0).toUpperCase() + line.slice(1))}.
            </p>
          ))}
          <p className="font-medium">
            {plan.taken.toLocaleString("en")} readings{" "}
            {plan.applied ? "are stored" : "would be stored"}
            {plan.start !== null &&
              plan.end !== null &&
              `, from ${exact(plan.start)} to ${exact(plan.end)}`}
            {plan.low !== null &&
              `, between ${shown(plan.low, asKept(entity))} and ${shown(plan.high, asKept(entity))}`}
            .
          </p>
          {leftOut(plan).map((line) => (
            <p key={line}>
              <Mark>{line}</Mark>
            </p>
          ))}
          <ul className="list-disc pl-5 text-sm">
            {plan.mistakes.map((one) => (
              <li key={one.line} className="wrap-anywhere">
                line {one.line}: {visible(one.what)}
              </li>
            ))}
          </ul>
        </div>
      )}
      {plan && !plan.applied && plan.taken > 0 && file && (
        <div className="mt-3">
          <Button
            look="main"
            disabled={send.isPending}
            onClick={() => send.mutate({ of: file, apply: true, as: how })}
          >
            Store them
          </Button>
        </div>
      )}
      {made.data && made.data.length > 0 && (
        <ul aria-label="Imports" className="mt-4 space-y-2">
          {made.data.map((one) => (
            <li key={one.number} className="flex flex-wrap items-center gap-x-4 gap-y-1">
              <span className="wrap-anywhere">
                {visible(one.file)}, imported {exact(one.made_at)}
              </span>
              <Button
                look="grave"
                disabled={back.isPending}
                onClick={() => back.mutate(one.number)}
              >
                Take it back
              </Button>
            </li>
          ))}
        </ul>
      )}
      {back.error && <Failure error={back.error} />}
    </details>
  );
}

function leftOut(plan: Plan): string[] {
  return (
    [
      [plan.there, "have a reading of the same time already"],
      [plan.old, "are older than single readings are kept"],
      [plan.ahead, "lie in the future"],
      [plan.wrong, "cannot be read"],
    ] as const
  )
    .filter(([count]) => count > 0)
    .map(([count, why]) => `${count.toLocaleString("en")} ${why}, and are left out`);
}
