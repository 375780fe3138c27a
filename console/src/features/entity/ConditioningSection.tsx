// How a value is conditioned: its steps, tried on the past before they are kept, and taken
// back when they were wrong.
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import * as changes from "../../api/changes";
import type { EntityDetail, Schemas } from "../../api/client";
import { keys, useConditioning, useSteps } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Chart } from "../../parts/Chart";
import { toneOf } from "../../parts/plot";
import type { Window } from "../../parts/window";
import { Asked } from "../../ui/Asked";
import { Await, Button, Failure } from "../../ui/parts";
import { exact } from "../../ui/time";
import { Calibrate } from "./Calibrate";
import { OneStep } from "./OneStep";
import { courseOf, freshStep, moved, type Step } from "./steps";

type Found = Schemas["Conditioning"];
const REST_MS = 250;
const MINUTE_MS = 60_000;

export function ConditioningSection({
  entity,
  window,
  onWindow,
}: {
  entity: EntityDetail;
  window: Window;
  onWindow: (to: Window) => void;
}) {
  const found = useConditioning(entity.entity);
  const cache = useQueryClient();
  const [editing, setEditing] = useState(false);
  const was = useRef<number | null>(null);
  // When the past is made again, what is drawn of it is fetched again. Each answer is looked
  // at: a short past is made before the change of its steps is answered.
  useEffect(() => {
    const progress = found.data?.progress ?? null;
    if (was.current !== null && progress === null)
      for (const queryKey of [
        ["courses"],
        ["numbers"],
        ["doubts"],
        ["history"],
        keys.entity(entity.entity),
      ])
        void cache.invalidateQueries({ queryKey });
    was.current = progress;
  }, [found.data, cache, entity.entity]);
  const done = (made: Found) => {
    was.current = made.progress ?? 0;
    cache.setQueryData(keys.conditioning(entity.entity), made);
    setEditing(false);
  };
  const undo = useChange({
    mutationFn: () => changes.undoConditioning(entity.entity),
    onSuccess: done,
  });
  return (
    <section aria-labelledby="conditioning" className="mt-10">
      <h2 id="conditioning" className="mb-3 text-xl">
        Conditioning
      </h2>
      <Await of={found} lines={2}>
        {(now) => (
          <>
            {now.words.length === 0 ? (
              <p className="text-faint">
                No steps. Each value is converted and checked, and kept as it is.
              </p>
            ) : (
              <ol aria-label="Steps" className="list-inside list-decimal">
                {now.words.map((words, place) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: a step is its place
                  <li key={place}>
                    <code>{words}</code>
                  </li>
                ))}
              </ol>
            )}
            {editing ? (
              <Editor
                entity={entity}
                found={now}
                window={window}
                onWindow={onWindow}
                close={() => setEditing(false)}
                done={done}
              />
            ) : (
              <div className="mt-3 flex flex-wrap gap-3">
                <Button onClick={() => setEditing(true)}>
                  {now.words.length > 0 ? "Change the steps" : "Correct or smooth it"}
                </Button>
                <Calibrate entity={entity} window={window} onWindow={onWindow} done={done} />
                {now.versions.length > 0 && (
                  <Asked
                    title="Undo the latest change?"
                    yes="Undo"
                    label="Undo the latest change of the steps"
                    busy={undo.isPending}
                    error={undo.error}
                    onYes={(close) => undo.mutate(undefined, { onSuccess: close })}
                  >
                    <Latest found={now} />
                  </Asked>
                )}
              </div>
            )}
          </>
        )}
      </Await>
    </section>
  );
}

function Latest({ found }: { found: Found }) {
  const [latest, before] = found.versions;
  if (!latest) return null;
  return (
    <p>
      {latest.by} set “{latest.words.join("; ") || "no steps"}” on {exact(latest.made_at)}, to hold{" "}
      {latest.since ? `from ${exact(latest.since)} on` : "over the whole past"}. Then it is “
      {before?.words.join("; ") || "no steps"}” again, as before. Nothing that the node sent is
      lost.
    </p>
  );
}

function Editor({
  entity,
  found,
  window: shown,
  onWindow,
  close,
  done,
}: {
  entity: EntityDetail;
  found: Found;
  window: Window;
  onWindow: (to: Window) => void;
  close: () => void;
  done: (made: Found) => void;
}) {
  const [steps, setSteps] = useState<Step[]>(() =>
    found.steps.length > 0 ? found.steps : found.suggested,
  );
  const sorts = useSteps().data ?? [];
  const save = useChange({
    mutationFn: (past: boolean) => changes.condition(entity.entity, { steps, past }),
    onSuccess: done,
  });
  const put = (place: number, step: Step) =>
    setSteps((before) => before.map((one, n) => (n === place ? step : one)));
  return (
    <div className="rule mt-3 border bg-sheet p-4">
      {steps.length === 0 && <p className="mb-3 text-faint">Add the first step below.</p>}
      <ol aria-label="Steps being changed" className="space-y-4">
        {steps.map((step, place) => {
          const sort = sorts.find((one) => one.step === step.step);
          return (
            sort && (
              <OneStep
                // biome-ignore lint/suspicious/noArrayIndexKey: a step is its place
                key={place}
                step={step}
                sort={sort}
                entity={entity}
                first={place === 0}
                last={place === steps.length - 1}
                onStep={(to) => put(place, to)}
                onMove={(by) => setSteps((before) => moved(before, place, by))}
                onRemove={() => setSteps((before) => before.filter((_, n) => n !== place))}
              />
            )
          );
        })}
      </ol>
      <div className="my-4">
        <select
          aria-label="Add a step"
          value=""
          onChange={(event) => {
            const sort = sorts.find((one) => one.step === event.target.value);
            if (sort) setSteps((before) => [...before, freshStep(sort, entity)]);
          }}
          className="field max-w-full sm:max-w-md"
        >
          <option value="">add a step …</option>
          {sorts.map((one) => (
            <option key={one.step} value={one.step}>
              {one.step}: {one.about}
            </option>
          ))}
        </select>
      </div>
      <Preview entity={entity} steps={steps} window={shown} onWindow={onWindow} />
      {save.error && <Failure error={save.error} />}
      <div className="mt-4 flex flex-wrap justify-end gap-3">
        <Button onClick={close}>Leave it</Button>
        <Button disabled={save.isPending} onClick={() => save.mutate(false)}>
          Save from now on
        </Button>
        <Button look="main" disabled={save.isPending} onClick={() => save.mutate(true)}>
          Save for the past too
        </Button>
      </div>
    </div>
  );
}

/** The past as it was sent and as the steps would make it, a moment after they change. */
function Preview({
  entity,
  steps,
  window: shown,
  onWindow,
}: {
  entity: EntityDetail;
  steps: Step[];
  window: Window;
  onWindow: (to: Window) => void;
}) {
  // A span that ends now moves on all the time; what is tried moves on by the minute.
  const [start, end] = shown.span
    ? [shown.start, shown.end].map((at) => Math.floor(at / MINUTE_MS) * MINUTE_MS)
    : [shown.start, shown.end];
  const wanted = useRested(JSON.stringify({ steps, start, end }));
  const tried = useQuery({
    queryKey: ["tried", entity.entity, wanted],
    queryFn: () => {
      const body: Schemas["TryRequest"] = JSON.parse(wanted);
      return changes.tryConditioning(entity.entity, body);
    },
    placeholderData: keepPreviousData,
    staleTime: 60_000,
    retry: false,
  });
  const data = tried.data;
  // biome-ignore lint/correctness/useExhaustiveDependencies: readings change the entity every few seconds, what is drawn does not
  const courses = useMemo(
    () =>
      data
        ? [
            { history: courseOf(data, data.plain), entity, name: "without the steps" },
            { history: courseOf(data, data.made), entity, name: "with the steps" },
          ]
        : [],
    [data, entity.entity],
  );
  const day = { span: "day" as const, start: shown.end - 86_400_000, end: shown.end };
  return (
    <>
      {tried.error && <Failure error={tried.error} />}
      {courses.length > 0 && (
        <Chart
          courses={courses}
          window={{ span: null, start: start ?? shown.start, end: end ?? shown.end }}
          onWindow={onWindow}
          onReset={() => onWindow(day)}
        />
      )}
      <p aria-hidden className="text-sm">
        {courses.map((one, place) => (
          <span key={one.name} className="mr-6">
            <span
              className="mr-2 inline-block h-0.5 w-4 align-middle forced-colors:bg-[LinkText]"
              style={{ background: toneOf(place) }}
            />
            {one.name}
          </span>
        ))}
      </p>
      <p aria-live="polite" className="text-faint text-sm">
        {data && data.at.length === 0 && "No readings in this span."}
        {data && data.spikes > 0 && `${data.spikes} of ${data.at.length} values would be bad. `}
        {data?.cut && "Only the first part of the span was tried: it has too many readings."}
      </p>
    </>
  );
}

/** A value once it has stood still for a moment. */
function useRested(value: string): string {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    const timer = globalThis.setTimeout(() => setRested(value), REST_MS);
    return () => globalThis.clearTimeout(timer);
  }, [value]);
  return rested;
}
