// What an automation would have done: its limit over the past, to be dragged, and how
// often it would have started.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import * as changes from "../../api/changes";
import { api, ask, type Replay } from "../../api/client";
import { useCourses } from "../../api/courses";
import { useEntities } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Chart } from "../../parts/Chart";
import { Spans } from "../../parts/Spans";
import { asked, SPANS_MS, type Window } from "../../parts/window";
import { Await, Button, Empty, Failure, Mark } from "../../ui/parts";
import { hubNow, length } from "../../ui/time";
import { visible } from "../../ui/visible";
import { Rehearse } from "./Rehearse";

const MINUTE = 60_000;

export default function WouldHave({
  text,
  automation,
  onText,
}: {
  text: string;
  automation: string;
  onText: (text: string) => void;
}) {
  const [window, setWindow] = useState<Window>(() => {
    const now = hubNow();
    return { span: "month", start: now - SPANS_MS.month, end: now };
  });
  const [tried, setTried] = useState("");
  // A span that ends now moves on all the time; what is replayed moves on by the minute.
  const start = Math.floor(window.start / MINUTE) * MINUTE;
  const end = Math.ceil(window.end / MINUTE) * MINUTE;
  const found = useQuery({
    queryKey: ["replay", text, start, end, tried, automation],
    queryFn: () =>
      ask(
        api.POST("/api/automations/replay", {
          body: { text, start, end, limit: tried, automation },
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const take = useChange({
    mutationFn: async (data: Replay) => {
      const limit = `${data.limit} ${data.unit}`.trim();
      const made = await changes.editText(text, ["watch", data.condition], limit);
      if (data.until === null) return made;
      return changes.editText(made.text, ["watch", "until"], `${data.until} ${data.unit}`.trim());
    },
    onSuccess: (made) => {
      setTried("");
      onText(made.text);
    },
  });
  return (
    <section aria-labelledby="would-have" className="rule mt-10 border-t pt-6">
      <div className="mb-3 flex flex-wrap items-baseline justify-between gap-x-6 gap-y-2">
        <h2 id="would-have" className="text-xl">
          What it would have done
        </h2>
        <Spans window={window} onWindow={setWindow} />
      </div>
      <Await of={found} lines={6}>
        {(data) => (
          <>
            <Course
              data={data}
              limit={tried ? Number.parseFloat(tried) : data.limit}
              window={window}
              onWindow={setWindow}
              onLimit={setTried}
            />
            <Sums data={data} />
            {tried && (
              <div className="mt-4 flex flex-wrap items-center gap-3">
                <Button
                  look="main"
                  disabled={take.isPending || found.isPlaceholderData}
                  onClick={() => take.mutate(data)}
                >
                  Take this limit into the text
                </Button>
                <Button onClick={() => setTried("")}>Back to the text’s own</Button>
              </div>
            )}
            {take.error && <Failure error={take.error} />}
            <Limits data={data} onLimit={setTried} />
            <Rehearse
              key={data.entities.join()}
              text={text}
              entities={data.entities}
              automation={automation}
            />
          </>
        )}
      </Await>
    </section>
  );
}

/** Limits that would start it about so often. */
function Limits({ data, onLimit }: { data: Replay; onLimit: (limit: string) => void }) {
  if (data.limits.length === 0) return null;
  return (
    <p className="mt-4 flex flex-wrap items-center gap-x-3 gap-y-2">
      <span>Based on this period, try</span>
      {data.limits.map((one) => (
        <Button key={one.limit} onClick={() => onLimit(one.limit)}>
          {one.limit}: about {one.a_week} a week
        </Button>
      ))}
    </p>
  );
}

function Course({
  data,
  limit,
  window,
  onWindow,
  onLimit,
}: {
  data: Replay;
  limit: number | null;
  window: Window;
  onWindow: (to: Window) => void;
  onLimit: (limit: string) => void;
}) {
  const entities = useEntities();
  const entity = entities.data?.find((one) => one.entity === data.entity);
  const states = entity?.words !== null || entity.drawn === "marks";
  const found = useCourses(states ? [] : [data.entity], asked(window));
  const marks = useMemo(
    () =>
      data.edges
        .filter((one) => one.edge !== "lost")
        .map((one) => ({ at: one.at, start: one.edge === "start", text: one.text })),
    [data.edges],
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: readings change the entity every few seconds, what is drawn does not
  const courses = useMemo(
    () => (entity ? (found.data ?? []).map((history) => ({ history, entity })) : []),
    [found.data, entity?.entity],
  );
  const month = { span: "month" as const, start: window.end - SPANS_MS.month, end: window.end };
  if (data.known_from === null) return <Empty>No readings in this {window.span ?? "time"}.</Empty>;
  if (states || courses.length === 0) return null;
  return (
    <Chart
      courses={courses}
      window={window}
      onWindow={onWindow}
      onReset={() => onWindow(month)}
      marks={marks}
      over={limit}
      live
      onOver={(value) => onLimit(`${value} ${data.unit}`.trim())}
    />
  );
}

/** How often and how long, what would have been done, and what is to be said of it. */
function Sums({ data }: { data: Replay }) {
  const often = (times: number) => (times === 1 ? "once" : `${times} times`);
  return (
    <div className="mt-3 space-y-2">
      <p aria-live="polite">
        It would have started <strong>{often(data.starts)}</strong> ({data.a_week} a week)
        {data.on_ms > 0 &&
          `, and been on for ${length(data.on_ms)}, the longest ${length(data.longest_ms)}`}
        .
        {data.short > 0 &&
          ` ${data.short === 1 ? "Once" : `${data.short} times`} it did not hold long enough.`}
        {data.lived !== null && ` The one on duty started ${often(data.lived.length)}.`}
      </p>
      {data.effects.length > 0 && (
        <ul className="flex flex-wrap gap-x-6 text-faint">
          {data.effects.map((one) => (
            <li key={one.text}>
              {visible(one.text)}: {often(one.times)}
            </li>
          ))}
        </ul>
      )}
      {data.advice.length > 0 && (
        <ul className="space-y-1">
          {data.advice.map((one) => (
            <li key={one}>
              <Mark>{one}</Mark>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
