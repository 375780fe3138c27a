// An entity: its chart, where its value comes from, which automations look at it, and
// its numbers for the span.
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { addressParts, api, ask, type EntityDetail, type Schemas } from "../../api/client";
import { useCourses, useDoubts, useMarks, useNumbers } from "../../api/courses";
import { useEntity, useNodes, useStretches } from "../../api/queries";
import { shown } from "../../api/readings";
import { Chart } from "../../parts/Chart";
import { LevelControl } from "../../parts/LevelControl";
import { stood } from "../../parts/numbers";
import { Spans } from "../../parts/Spans";
import { States } from "../../parts/States";
import { SwitchControl } from "../../parts/SwitchControl";
import { asked, useWindow, type Window } from "../../parts/window";
import { linkTitle } from "../../ui/links";
import { Ago, Await, Empty, Failure, Heads, Mark, Page } from "../../ui/parts";
import { exact, hubNow, length } from "../../ui/time";
import { visible } from "../../ui/visible";
import { Computed } from "./Computed";
import { ConditioningSection } from "./ConditioningSection";

export function EntityPage() {
  const { node = "", name = "" } = useParams();
  const address = `${node}/${name}`;
  const [window, setWindow] = useWindow();
  const entity = useEntity(address);
  const nodes = useNodes();
  const nodeTitle = nodes.data?.find((n) => n.node === node)?.title ?? node;
  return (
    <Await of={entity} lines={8}>
      {(found) => (
        <Page title={visible(found.spoken)} aside={<Spans window={window} onWindow={setWindow} />}>
          <Now entity={found} />
          {found.words ? (
            <Stood entity={found} window={window} />
          ) : (
            <Drawn entity={found} window={window} onWindow={setWindow} />
          )}
          <div className="mt-10 grid gap-8 md:grid-cols-2">
            {found.derived ? (
              <Computed entity={found} how={found.derived} />
            ) : (
              <Origin entity={found} nodeTitle={nodeTitle} />
            )}
            <Watchers entity={found} />
          </div>
          {found.words === null && !found.derived && (
            <ConditioningSection entity={found} window={window} onWindow={setWindow} />
          )}
          <LatestReadings address={address} entity={found} />
        </Page>
      )}
    </Await>
  );
}

function Now({ entity }: { entity: EntityDetail }) {
  return (
    <div className="mb-4 flex flex-wrap items-baseline gap-x-6 gap-y-2">
      <span data-value className="font-light text-5xl">
        {entity.shown || "–"}
      </span>
      <span className="text-faint">
        heard <Ago at={entity.heard_at} />
      </span>
      {entity.quality !== "good" && <Mark grave={entity.quality === "bad"}>{entity.reason}</Mark>}
      {entity.writable && entity.kind === "switch" && (
        <SwitchControl entity={entity} label={entity.spoken} />
      )}
      {entity.writable && entity.kind === "level" && <LevelControl entity={entity} />}
    </div>
  );
}

/** The course of a figure, and its numbers. */
function Drawn({
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
            .
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
  const rows: [string, string][] = numbers
    ? [
        ["lowest", shown(numbers.low, entity)],
        ["5 %", shown(numbers.p5, entity)],
        ["mean", shown(numbers.mean, entity)],
        ["median", shown(numbers.median, entity)],
        ["95 %", shown(numbers.p95, entity)],
        ["highest", shown(numbers.high, entity)],
        ["readings", numbers.count.toLocaleString("en")],
      ]
    : [];
  return (
    <>
      <Numbers rows={rows} />
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
              {numbers.known_ms ? ((100 * numbers.over_ms) / numbers.known_ms).toFixed(1) : "0.0"} %
              of the time. Drag the line, or type another limit.
            </>
          )}
        </output>
      </form>
      {error && <Failure error={error} />}
    </>
  );
}

/** How something with two states stood, and for how long. */
function Stood({ entity, window }: { entity: EntityDetail; window: Window }) {
  const stretches = useStretches(entity.entity, asked(window), entity.value);
  const [, on = "on"] = entity.words ?? [];
  return (
    <Await of={stretches} lines={4}>
      {(course) => {
        if (course.stretches.length === 0)
          return <Empty>How it stood in this {window.span ?? "time"} is not known.</Empty>;
        const of = stood(course.stretches);
        const share = of.ofMs ? ((100 * of.onMs) / of.ofMs).toFixed(1) : "0.0";
        return (
          <>
            <States course={course} entity={entity} />
            <Numbers
              rows={[
                [`${on} for`, `${length(of.onMs)}, ${share} % of the time`],
                [`became ${on}`, of.times === 1 ? "once" : `${of.times} times`],
              ]}
            />
          </>
        );
      }}
    </Await>
  );
}

function Numbers({ rows }: { rows: [string, string][] }) {
  return (
    <dl aria-label="This span in numbers" className="mt-3 flex flex-wrap gap-x-10 gap-y-1">
      {rows.map(([name, value]) => (
        <div key={name} className="flex gap-2">
          <dt className="text-faint">{name}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  );
}

function Origin({ entity, nodeTitle }: { entity: EntityDetail; nodeTitle: string }) {
  return (
    <section aria-labelledby="origin">
      <h2 id="origin" className="mb-3 text-xl">
        Where it comes from
      </h2>
      <ol className="space-y-2 border-ink border-l-2 pl-4">
        <li>
          <Link className="text-act underline" to={`/nodes/${entity.node}`}>
            {nodeTitle}
          </Link>{" "}
          sends “{entity.wire_name}” over {linkTitle(entity.link)}.
        </li>
        {entity.words === null && (
          <li>
            The raw value is{" "}
            {entity.raw === null
              ? "not known yet"
              : `${Number(entity.raw.toPrecision(6))} ${entity.wire_unit}`}
            .
          </li>
        )}
        {entity.converted && (
          <li>
            It is converted from {entity.wire_unit} to {entity.unit}.
          </li>
        )}
        {entity.words ? (
          <li>
            It is {entity.words[0]} or {entity.words[1]}.
          </li>
        ) : (
          <li>
            From {entity.low} to {entity.high} {entity.unit} it is believed; beyond that it is bad.
          </li>
        )}
      </ol>
    </section>
  );
}

function Watchers({ entity }: { entity: EntityDetail }) {
  return (
    <section aria-labelledby="watchers">
      <h2 id="watchers" className="mb-3 text-xl">
        Automations that watch it
      </h2>
      {entity.watchers.length === 0 ? (
        <p className="text-faint">
          No automation.{" "}
          <Link className="text-act underline" to={`/automations/new?entity=${entity.entity}`}>
            Write one
          </Link>
          .
        </p>
      ) : (
        <ul className="space-y-1">
          {entity.watchers.map((watcher) => (
            <li key={watcher.automation}>
              <Link className="text-act underline" to={`/automations/${watcher.automation}`}>
                {watcher.name}
              </Link>
              : {watcher.condition} {shown(watcher.limit, entity)}
              {watcher.until !== null && `, until ${shown(watcher.until, entity)}`}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

function LatestReadings({ address, entity }: { address: string; entity: EntityDetail }) {
  const latest = useQuery({
    queryKey: ["readings", address, entity.at],
    queryFn: () => {
      const end = (entity.at ?? hubNow()) + 1;
      return ask(
        api.GET("/api/entities/{node}/{name}/readings", {
          params: { path: addressParts(address), query: { start: end - 30 * 60_000, end } },
        }),
      );
    },
    placeholderData: (before) => before,
  });
  return (
    <details className="rule mt-10 border-t pt-3">
      <summary className="cursor-pointer text-act">The latest readings, one by one</summary>
      <table className="mt-3 w-full max-w-2xl text-left">
        <Heads
          of="Latest readings"
          names={["when", "value", "raw", "quality"]}
          right={["value", "raw"]}
          wide={["raw"]}
        />
        <tbody>
          {[...(latest.data?.readings ?? [])]
            .reverse()
            .slice(0, 20)
            .map((reading) => (
              <tr key={reading.at} className="rule border-t">
                <td className="pr-4">{exact(reading.at)}</td>
                <td className="pr-4 text-right">{shown(reading.value, entity)}</td>
                <td className="pr-4 text-right max-sm:hidden">
                  {reading.raw === null ? "–" : Number(reading.raw.toPrecision(6))}
                </td>
                <td>{reading.reason || reading.quality}</td>
              </tr>
            ))}
        </tbody>
      </table>
    </details>
  );
}
