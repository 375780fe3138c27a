// The look back: the rooms of a month or a week side by side, what stands out, and how
// nodes and batteries fared. It prints as it is read.
import { useQuery } from "@tanstack/react-query";
import { ChevronLeft, ChevronRight } from "lucide-react";
import { Link, useSearchParams } from "react-router";
import { api, ask, type Review, type ReviewedKind } from "../../api/client";
import { Await, Button, Empty, Heads, Page } from "../../ui/parts";
import { date, exact, hubNow, length } from "../../ui/time";
import { visible } from "../../ui/visible";
import { beside, drawnDay, HEIGHT, scaleOf, WIDTH } from "./days";

const SPANS = ["month", "week"] as const;

export function ReviewPage() {
  const [search, setSearch] = useSearchParams();
  const span = SPANS.find((one) => one === search.get("span")) ?? "month";
  const on = search.get("on") ?? "";
  const review = useQuery({
    queryKey: ["review", span, on],
    queryFn: () =>
      ask(api.GET("/api/review", { params: { query: { span, ...(on ? { on } : {}) } } })),
    staleTime: 60_000,
    placeholderData: (before) => before,
  });
  const go = (to: { span?: string; on?: string }) =>
    setSearch({ span, ...(on ? { on } : {}), ...to }, { replace: true });
  const found = review.data;
  const query = new URLSearchParams({ span, ...(found ? { on: found.first } : {}) });
  return (
    <Page
      title="Look back"
      aside={
        <div className="flex flex-wrap items-center gap-x-4 gap-y-2 print:hidden">
          <fieldset className="flex gap-1">
            <legend className="sr-only">Span</legend>
            {SPANS.map((one) => (
              <Button key={one} aria-pressed={one === span} onClick={() => go({ span: one })}>
                {one}
              </Button>
            ))}
          </fieldset>
          <a
            className="text-act underline pointer-coarse:py-2.5"
            href={`/api/review/table?${query}`}
          >
            as CSV
          </a>
          <Button onClick={() => globalThis.print()}>Print</Button>
        </div>
      }
    >
      <Await of={review} lines={12}>
        {(some) => (
          <>
            <div className="mb-6 flex items-center gap-3">
              <Button
                aria-label={`The ${span} before`}
                className="print:hidden"
                onClick={() => go({ on: beside(some.first, span, -1) })}
              >
                <ChevronLeft aria-hidden className="size-4" />
              </Button>
              <p className="min-w-0 font-serif text-lg">
                {date(some.start)} to {date(some.end - 1)}
              </p>
              <Button
                aria-label={`The ${span} after`}
                className="print:hidden"
                disabled={Date.parse(beside(some.first, span, 1)) > hubNow()}
                onClick={() => go({ on: beside(some.first, span, 1) })}
              >
                <ChevronRight aria-hidden className="size-4" />
              </Button>
            </div>
            <Found review={some} />
          </>
        )}
      </Await>
    </Page>
  );
}

function Found({ review }: { review: Review }) {
  if (review.kinds.length === 0)
    return <Empty>Nothing was measured in this time. Go to a later one.</Empty>;
  return (
    <div className="space-y-10">
      <section aria-labelledby="stands-out">
        <h2 id="stands-out" className="mb-2 text-xl">
          What stands out
        </h2>
        {review.findings.length === 0 ? (
          <p className="text-faint">
            Nothing. Rooms are compared where three or more have values of one kind.
          </p>
        ) : (
          <ul className="max-w-3xl list-disc space-y-1 pl-5">
            {review.findings.map((one) => (
              <li key={one.text}>
                {visible(one.text)}.{" "}
                <Link className="text-act underline" to={chartOf(one.entity, review)}>
                  See the chart
                </Link>
              </li>
            ))}
          </ul>
        )}
      </section>
      {review.kinds.map((kind) => (
        <Kind key={kind.kind} kind={kind} review={review} />
      ))}
      <div className="grid grid-cols-[minmax(0,1fr)] gap-10 lg:grid-cols-2">
        <Silences review={review} />
        <Batteries review={review} />
      </div>
    </div>
  );
}

function Kind({ kind, review }: { kind: ReviewedKind; review: Review }) {
  const scale = scaleOf(kind);
  const shown = (value: number) => value.toFixed(kind.decimals);
  const compared = kind.entities.slice(0, 8).map((one) => ["of", one.entity]);
  const query = new URLSearchParams([
    ...compared,
    ["from", `${review.start}`],
    ["to", `${review.end}`],
  ]);
  const title = `${kind.title.charAt(0).toUpperCase()}${kind.title.slice(1)}`;
  return (
    <section aria-label={title} className="break-inside-avoid">
      <div className="mb-2 flex flex-wrap items-baseline justify-between gap-x-4">
        <h2 className="text-xl">
          {title}
          {kind.unit && <span className="text-base text-faint"> in {kind.unit}</span>}
        </h2>
        {kind.entities.length > 1 && (
          <Link className="text-act underline print:hidden" to={`/compare?${query}`}>
            Compare in one chart
          </Link>
        )}
      </div>
      <table className="w-full text-left">
        <Heads
          of={`${title} by room`}
          names={["where", "usual day, 0 to 24 h", "lowest", "mean", "highest", "beyond limits"]}
          right={["lowest", "mean", "highest"]}
          wide={["lowest", "highest", "beyond limits"]}
          tiny={["usual day, 0 to 24 h"]}
        />
        <tbody>
          {kind.entities.map((one) => (
            <tr key={one.entity} className="rule border-t">
              <th scope="row" className="wrap-anywhere w-48 py-1.5 pr-4 font-normal">
                <Link className="text-act hover:underline" to={chartOf(one.entity, review)}>
                  {visible(one.place)}
                </Link>
                {one.outside && <span className="text-faint">, outside</span>}
                {one.beyond.map((limit) => (
                  <span key={limit.automation} className="block text-faint text-sm sm:hidden">
                    {beyond(limit)}
                  </span>
                ))}
              </th>
              <td className="w-64 py-1.5 pr-4 max-[20rem]:hidden">
                <UsualDay name={one.place} kind={kind} day={one.day} scale={scale} />
              </td>
              <td className="pr-4 text-right max-sm:hidden">{shown(one.low)}</td>
              <td className="pr-4 text-right font-medium">{shown(one.mean)}</td>
              <td className="pr-4 text-right max-sm:hidden">{shown(one.high)}</td>
              <td className="max-sm:hidden">
                {one.beyond.map((limit) => (
                  <Link
                    key={limit.automation}
                    className="block text-act hover:underline"
                    to={`/automations/${limit.automation}`}
                  >
                    {beyond(limit)}
                  </Link>
                ))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

const beyond = (limit: ReviewedKind["entities"][number]["beyond"][number]) =>
  `${limit.hours < 1 && limit.hours > 0 ? "under 1" : Math.round(limit.hours)} h ${limit.limit}`;

/** The band and the median of each hour of the day, on the scale of its kind. */
function UsualDay({
  name,
  kind,
  day,
  scale,
}: {
  name: string;
  kind: ReviewedKind;
  day: ReviewedKind["entities"][number]["day"];
  scale: [number, number];
}) {
  const shown = (value: number) => `${value.toFixed(kind.decimals)} ${kind.unit}`;
  const most = day.reduce((a, b) => (b.median > a.median ? b : a));
  const least = day.reduce((a, b) => (b.median < a.median ? b : a));
  const said = `${name}: highest at ${most.hour}:00, usually ${shown(most.median)}; lowest at ${least.hour}:00, usually ${shown(least.median)}`;
  return (
    <svg
      role="img"
      aria-label={said}
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      preserveAspectRatio="none"
      className="h-12 w-full max-w-60 text-act"
    >
      {[0, 6, 12, 18, 24].map((hour) => (
        <path
          key={hour}
          d={`M${(hour * WIDTH) / 24} 0V${HEIGHT}`}
          className="stroke-rule"
          vectorEffect="non-scaling-stroke"
        />
      ))}
      {drawnDay(day, scale).map((run) => (
        <g key={run.key}>
          <path d={run.band} fill="currentColor" opacity={0.2} />
          <path
            d={run.line}
            fill="none"
            stroke="currentColor"
            strokeWidth={2}
            vectorEffect="non-scaling-stroke"
          />
        </g>
      ))}
      {day.map((one) => (
        <rect
          key={one.hour}
          x={(one.hour * WIDTH) / 24}
          width={WIDTH / 24}
          height={HEIGHT}
          fill="transparent"
        >
          <title>
            {`${one.hour}:00 to ${one.hour + 1}:00, usually ${shown(one.low)} to ${shown(one.high)}`}
          </title>
        </rect>
      ))}
    </svg>
  );
}

function Silences({ review }: { review: Review }) {
  const silent = review.silences.flatMap((one) =>
    one.start !== null && one.end !== null
      ? [{ ...one, from: one.start, ms: one.end - one.start }]
      : [],
  );
  silent.sort((a, b) => b.ms - a.ms);
  return (
    <section aria-labelledby="silences" className="break-inside-avoid">
      <h2 id="silences" className="mb-2 text-xl">
        Longest silence of each node
      </h2>
      {silent.length === 0 ? (
        <p className="text-faint">All nodes were heard without a long silence.</p>
      ) : (
        <table className="w-full text-left">
          <Heads of="Longest silences" names={["node", "for", "from"]} tiny={["from"]} />
          <tbody>
            {silent.map((one) => (
              <tr key={one.node} className="rule border-t">
                <th scope="row" className="wrap-anywhere py-1.5 pr-4 font-normal">
                  <Link className="text-act hover:underline" to={`/nodes/${one.node}`}>
                    {visible(one.title)}
                  </Link>
                </th>
                <td className="pr-4">{length(one.ms)}</td>
                <td className="max-[20rem]:hidden">{exact(one.from)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {silent.length > 0 && silent.length < review.silences.length && (
        <p className="mt-2 text-faint">
          The {review.silences.length - silent.length} others were heard without a long silence.
        </p>
      )}
    </section>
  );
}

function Batteries({ review }: { review: Review }) {
  if (review.batteries.length === 0) return null;
  return (
    <section aria-labelledby="batteries" className="break-inside-avoid">
      <h2 id="batteries" className="mb-2 text-xl">
        Batteries
      </h2>
      <table className="w-full text-left">
        <Heads
          of="Batteries"
          names={["battery", "at the end", "a week", "low on about"]}
          right={["at the end", "a week"]}
          tiny={["at the end", "a week"]}
        />
        <tbody>
          {review.batteries.map((one) => (
            <tr key={one.entity} className="rule border-t">
              <th scope="row" className="wrap-anywhere py-1.5 pr-4 font-normal">
                <Link className="text-act hover:underline" to={chartOf(one.entity, review)}>
                  {visible(one.spoken)}
                </Link>
              </th>
              <td className="pr-4 text-right max-[20rem]:hidden">{one.percent.toFixed(0)} %</td>
              <td className="pr-4 text-right max-[20rem]:hidden">{(one.a_day * 7).toFixed(1)} %</td>
              <td>{one.low_at === null ? "–" : date(one.low_at)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

const chartOf = (entity: string, review: Review) =>
  `/readings/${entity}?from=${review.start}&to=${review.end}`;
