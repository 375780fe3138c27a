// The course of a figure over the page's span: its chart, what of it is doubted, its
// numbers, and the time over a limit.
import { useMemo } from "react";
import { Link, useSearchParams } from "react-router";
import { addressParts, type EntityDetail, type Schemas } from "../../api/client";
import { useCourses, useDoubts, useMarks, useNumbers } from "../../api/courses";
import { shown } from "../../api/readings";
import { AsPicture } from "../../parts/AsPicture";
import { Chart } from "../../parts/Chart";
import { asked, type Window } from "../../parts/window";
import { Await, Empty, Failure, Mark } from "../../ui/parts";
import { exact, length } from "../../ui/time";
import { Numbers } from "./Numbers";

/** The course of a figure, and its numbers. */
export function Drawn({
  entity,
  window,
  onWindow,
}: {
  entity: EntityDetail;
  window: Window;
  onWindow: (to: Window) => void;
}) {
  const [search, setSearch] = useSearchParams();
  const over = search.get("over") ?? "";
  const found = useCourses([entity.entity], asked(window));
  const numbers = useNumbers(entity.entity, asked(window), over || undefined);
  const doubts = useDoubts(entity.entity, asked(window)).data;
  const doubted = useMemo(
    () =>
      doubts?.at.map((at, place) => ({ at, bad: doubts.quality[place] === "bad" })) ?? undefined,
    [doubts],
  );
  const marks = useMarks(
    entity.watchers.map((one) => one.automation),
    window.start,
    window.end,
  );
  // Its readings change every few seconds; what is drawn does only with its history.
  // biome-ignore lint/correctness/useExhaustiveDependencies: see above
  const courses = useMemo(
    () => (found.data ?? []).map((history) => ({ history, entity })),
    [found.data, entity.entity],
  );
  const setOver = (text: string) =>
    setSearch(
      (before) => {
        const after = new URLSearchParams(before);
        if (text) after.set("over", text);
        else after.delete("over");
        return after;
      },
      { replace: true },
    );
  const day = { span: "day" as const, start: window.end - 86_400_000, end: window.end };
  return (
    <Await of={found} lines={6}>
      {([course]) => (
        <>
          {course?.at.length === 0 && <Empty>No readings in this {window.span ?? "time"}.</Empty>}
          {/* It stays where nothing was heard: one may have moved too far. */}
          {course && (
            <Chart
              courses={courses}
              window={window}
              onWindow={onWindow}
              onReset={() => onWindow(day)}
              limits={entity.watchers}
              marks={marks.data}
              doubts={doubted}
              over={numbers.data?.over ?? null}
              onOver={(value) => setOver(String(value))}
            />
          )}
          {doubts && doubts.at.length > 0 && (
            <p className="mt-3 flex flex-wrap gap-x-6">
              {byReason(doubts).map(([reason, count, bad]) => (
                <Mark key={reason} grave={bad}>
                  {count}
                  {doubts.cut && " or more"} {bad ? "bad" : "uncertain"}: {reason}
                </Mark>
              ))}
            </p>
          )}
          <SpanNumbers
            entity={entity}
            numbers={numbers.data}
            error={numbers.error}
            over={over}
            onOver={setOver}
          />
          <p className="mt-3">
            <Link
              className="text-act underline"
              to={`/compare?of=${encodeURIComponent(entity.entity)}&${search}`}
            >
              Compare it
            </Link>{" "}
            with others, or with what it was before. Download this span as{" "}
            <a className="text-act underline" href={fileOf(entity.entity, window, "csv")} download>
              CSV
            </a>{" "}
            or{" "}
            <a
              className="text-act underline"
              href={fileOf(entity.entity, window, "senml")}
              download
            >
              SenML
            </a>
            , or the chart as <AsPicture courses={courses} title={titleOf(entity, window)} />.
          </p>
        </>
      )}
    </Await>
  );
}

/** How many readings were not good, by why. */
function byReason(doubts: Schemas["Doubts"]): [string, number, boolean][] {
  const counts = new Map<string, number>();
  const bad = new Set<string>();
  doubts.reason.forEach((reason, place) => {
    counts.set(reason, (counts.get(reason) ?? 0) + 1);
    if (doubts.quality[place] === "bad") bad.add(reason);
  });
  return [...counts].map(([reason, count]) => [reason, count, bad.has(reason)]);
}

function fileOf(entity: string, window: Window, format: "csv" | "senml"): string {
  const { node, name } = addressParts(entity);
  const asked = new URLSearchParams({
    format,
    start: String(Math.floor(window.start)),
    end: String(Math.ceil(window.end)),
  });
  return `/api/entities/${node}/${name}/export?${asked}`;
}

/** The span in numbers, and for how long the value was over a limit. */
function SpanNumbers({
  entity,
  numbers,
  error,
  over,
  onOver,
}: {
  entity: EntityDetail;
  numbers: Schemas["SpanNumbers"] | undefined;
  error: Error | null;
  over: string;
  onOver: (text: string) => void;
}) {
  const turns = entity.drawn === "needle";
  const rows: [string, string][] = !numbers
    ? []
    : turns
      ? [
          ["mean", shown(numbers.mean, entity)],
          ["clockwise from", shown(numbers.low, entity)],
          ["to", shown(numbers.high, entity)],
          ["readings", numbers.count.toLocaleString("en")],
        ]
      : [
          ["lowest", shown(numbers.low, entity)],
          ["5 %", shown(numbers.p5, entity)],
          ["mean", shown(numbers.mean, entity)],
          ["median", shown(numbers.median, entity)],
          ["95 %", shown(numbers.p95, entity)],
          ["highest", shown(numbers.high, entity)],
          ["readings", numbers.count.toLocaleString("en")],
        ];
  return (
    <>
      <Numbers rows={rows} />
      {!turns && (
        <form
          className="mt-3 flex flex-wrap items-center gap-x-4 gap-y-1"
          onSubmit={(event) => {
            event.preventDefault();
            onOver(String(new FormData(event.currentTarget).get("over") ?? "").trim());
          }}
        >
          <label className="flex flex-wrap items-center gap-2">
            <span className="text-faint">time over</span>
            <input
              key={over}
              name="over"
              defaultValue={over}
              onBlur={(event) => onOver(event.currentTarget.value.trim())}
              placeholder={`like ${shown(numbers?.median ?? entity.high, entity)}`}
              autoComplete="off"
              className="field w-36"
            />
          </label>
          <output aria-live="polite">
            {over && numbers?.over != null && numbers.over_ms !== null && (
              <>
                {length(numbers.over_ms)},{" "}
                {numbers.known_ms ? ((100 * numbers.over_ms) / numbers.known_ms).toFixed(1) : "0.0"}{" "}
                % of the time. Drag the line, or type another limit.
              </>
            )}
          </output>
        </form>
      )}
      {error && <Failure error={error} />}
    </>
  );
}

/** What stands over the chart when it is a picture. */
const titleOf = (entity: EntityDetail, window: Window) =>
  `${entity.spoken}, ${exact(window.start)} to ${exact(window.end)}`;
