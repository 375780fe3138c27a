// An entity: its chart, where its value comes from, which automations look at it, and
// its numbers for the span.
import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { addressParts, api, ask, type EntityDetail } from "../../api/client";
import { useEntity, useHouse, useNodes, useStretches } from "../../api/queries";
import { shown } from "../../api/readings";
import { Control } from "../../parts/Control";
import { Moments } from "../../parts/Moments";
import { spent, stood } from "../../parts/numbers";
import { Spans } from "../../parts/Spans";
import { States } from "../../parts/States";
import { asked, useWindow, type Window } from "../../parts/window";
import { linkTitle } from "../../ui/links";
import { Ago, Await, Empty, Heads, Mark, Page, Since } from "../../ui/parts";
import { exact, hubNow, length } from "../../ui/time";
import { visible } from "../../ui/visible";
import { Computed } from "./Computed";
import { ConditioningSection } from "./ConditioningSection";
import { Drawn } from "./Drawn";
import { ImportPast } from "./ImportPast";
import { Numbers } from "./Numbers";
import { asKept, Shown } from "./Shown";
import { Tally } from "./Tally";
import { perOf } from "./tallies";

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
          <Jobs address={address} />
          {perOf(found) && <Tally entity={found} per={perOf(found) ?? "day"} />}
          {found.drawn === "marks" ? (
            <Happened entity={found} window={window} />
          ) : found.words ? (
            <Stood entity={found} window={window} />
          ) : (
            <Drawn entity={found} window={window} onWindow={setWindow} />
          )}
          <div className="mt-10 grid gap-8 md:grid-cols-2">
            {found.computed ? (
              <Computed entity={found} how={found.computed} />
            ) : (
              <Origin entity={found} nodeTitle={nodeTitle} />
            )}
            <Watchers entity={found} />
          </div>
          {found.words === null &&
            found.drawn !== "marks" &&
            !found.computed &&
            !found.writable && (
              <ConditioningSection entity={asKept(found)} window={window} onWindow={setWindow} />
            )}
          <Shown entity={found} />
          {!found.computed && <ImportPast entity={found} />}
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
        {entity.drawn !== "marks" ? (
          <>
            {entity.since && (
              <>
                <Since entity={entity} />,{" "}
              </>
            )}
            heard <Ago at={entity.heard_at} />
          </>
        ) : entity.at === null ? (
          "nothing has happened yet"
        ) : (
          <Ago at={entity.at} />
        )}
      </span>
      {entity.quality !== "good" && entity.quality !== "none" && (
        <Mark grave={entity.quality === "bad"}>{entity.reason}</Mark>
      )}
      <Control entity={entity} />
      {entity.left_alone && (
        <span className="text-faint">
          set by hand: an automation leaves it alone until it starts again
        </span>
      )}
    </div>
  );
}

const percent = (part: number) => `${Math.round(part * 100)} %`;

/** What is being made of its past just now. */
function Jobs({ address }: { address: string }) {
  const house = useHouse();
  const jobs = house.data?.jobs.filter((job) => job.entity === address) ?? [];
  return (
    <div aria-live="polite">
      {jobs.map((job) => (
        <p key={job.text} className="mb-4 text-faint">
          {visible(job.text)[0]?.toUpperCase()}
          {visible(job.text).slice(1)}
          {job.progress !== null && `: ${percent(job.progress)}`}.
          {job.problem && ` It waits, and goes on by itself: ${job.problem}.`}
        </p>
      ))}
    </div>
  );
}

/** "off, heat or auto" */
function either(words: string[]): string {
  const shown = words.map((word) => visible(word));
  return shown.length < 2
    ? shown.join("")
    : `${shown.slice(0, -1).join(", ")} or ${shown[shown.length - 1]}`;
}

/** When something happened. */
function Happened({ entity, window }: { entity: EntityDetail; window: Window }) {
  const when = asked(window);
  const readings = useQuery({
    queryKey: ["readings", entity.entity, when, entity.at],
    queryFn: () =>
      ask(
        api.GET("/api/entities/{node}/{name}/readings", {
          params: { path: addressParts(entity.entity), query: when },
        }),
      ),
    placeholderData: (before) => before,
  });
  return (
    <Await of={readings} lines={4}>
      {(page) =>
        page.readings.length === 0 ? (
          <Empty>Nothing happened in this {window.span ?? "time"}.</Empty>
        ) : (
          <Moments
            entity={entity}
            start={window.start}
            end={window.end}
            readings={page.readings}
            more={page.next !== null}
          />
        )
      }
    </Await>
  );
}

/** How something with states stood, and for how long. */
function Stood({ entity, window }: { entity: EntityDetail; window: Window }) {
  const stretches = useStretches(entity.entity, asked(window), entity.value);
  const [, on = "on"] = entity.words ?? [];
  return (
    <Await of={stretches} lines={4}>
      {(course) => {
        if (course.stretches.length + course.shares.length === 0)
          return <Empty>How it stood in this {window.span ?? "time"} is not known.</Empty>;
        if (entity.kind === "choice")
          return (
            <>
              <States course={course} entity={entity} />
              <Numbers
                rows={spent(course).map(({ value, ms, times }) => [
                  `${shown(value, entity)} for`,
                  `${length(ms)}, ${times === 1 ? "once" : `${times} times`}`,
                ])}
              />
            </>
          );
        const of = stood(course);
        const share = of.ofMs ? ((100 * of.onMs) / of.ofMs).toFixed(1) : "0.0";
        return (
          <>
            <States course={course} entity={entity} />
            <Numbers
              rows={[
                [`${on} for`, `${length(of.onMs)}, ${share} % of the time`],
                [
                  `became ${on}`,
                  of.times === null
                    ? "not known for all of it"
                    : of.times === 1
                      ? "once"
                      : `${of.times} times`,
                ],
              ]}
            />
          </>
        );
      }}
    </Await>
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
            It is converted from {entity.wire_unit} to {entity.kept_in.unit}.
          </li>
        )}
        {entity.words ? (
          <li>
            {entity.drawn === "marks" ? "It sends" : "It is"} {either(entity.words)}.
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
              {watcher.high !== null && ` to ${shown(watcher.high, entity)}`}
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
