// An entity with states over time: bars where it was at the second of two, or strips of
// their own shade for each word of a choice; and the stretches in words for who cannot
// see them. What is too short to be drawn, or is known
// by its sums alone, is a bar as high as its part of an hour or a day.
import type { Entity, Schemas } from "../api/client";
import { shown } from "../api/readings";
import { clock, day, exact, hubTime, span } from "../ui/time";

type Course = Schemas["Stretches"];
const TOLD = 40;
// The part of the width that the time under a tick takes: none begins too near the edge.
const LABEL = 0.06;
// More bars than this cannot be told apart on a phone.
const MOST_DRAWN = 240;
const DAY_MS = 86_400_000;

/** Which stretches are drawn, and which hours or days in place of others. */
export function drawn(course: Pick<Course, "stretches" | "shares" | "cut" | "start" | "end">) {
  if (course.cut || course.stretches.length > MOST_DRAWN)
    return { stretches: [], shares: course.shares };
  const from = course.stretches[0]?.start ?? course.end;
  return {
    stretches: course.stretches,
    shares: course.shares
      .filter((one) => one.start < from)
      .map((one) => ({ ...one, end: Math.min(one.end, from) })),
  };
}

export function States({ course, entity }: { course: Course; entity: Entity }) {
  const [off = "0", on = "1"] = entity.words ?? [];
  const choice = entity.kind === "choice";
  const { stretches, shares } = choice
    ? { stretches: course.stretches, shares: [] }
    : drawn(course);
  const inWords = (value: number) => shown(value, entity);
  const length = course.end - course.start;
  const place = (at: number) => `${((at - course.start) / length) * 100}%`;
  const within = (one: { start: number; end: number }) => ({
    left: place(one.start),
    width: `calc(${place(one.end)} - ${place(one.start)})`,
  });
  const long = (ms: number) => span(Math.round(ms / 1000));
  const wide = (one: { start: number; end: number }) => (one.end - one.start) / length > LABEL;
  const last = shares[shares.length - 1];
  const row = shares.some((one) => one.end - one.start > DAY_MS / 2) ? "day" : "hour";
  const told = [
    ...shares.map((one) => ({
      start: one.start,
      text: `${on} for ${long(one.on_ms)} of ${long(one.known_ms)}`,
    })),
    ...stretches.map((one) => ({
      start: one.start,
      text: `${inWords(one.value)} for ${long(one.end - one.start)}`,
    })),
  ];
  return (
    <div className="rule border-y py-4">
      <div
        role="img"
        aria-label={`${choice ? "Its words as strips" : `${on} as bars`}, from ${exact(course.start)} to ${exact(course.end)}`}
        className="relative h-16 bg-sheet"
      >
        {stretches.map((one) => (
          <span
            key={one.start}
            title={`${inWords(one.value)} for ${long(one.end - one.start)}, from ${exact(one.start)}`}
            className={`absolute inset-y-0 min-w-px overflow-hidden ${choice ? "" : one.value >= 0.5 ? "bg-act" : "border-rule border-b-2"}`}
            style={{ ...within(one), ...(choice && { background: shade(one.value) }) }}
          >
            {choice && wide(one) && (
              <span className="absolute inset-x-1 bottom-1 truncate text-ink text-xs">
                {inWords(one.value)}
              </span>
            )}
          </span>
        ))}
        {shares.map((one) => (
          <span
            key={`share ${one.start}`}
            title={`${on} for ${long(one.on_ms)} of ${long(one.known_ms)}, from ${exact(one.start)}`}
            className="absolute inset-y-0 flex items-end border-rule border-b-2"
            style={within(one)}
          >
            <span
              className="block w-full bg-act"
              style={{ height: `${(one.on_ms / one.known_ms) * 100}%` }}
            />
          </span>
        ))}
      </div>
      <div className="relative mt-1 h-5 overflow-hidden text-faint text-xs">
        {ticks(course.start, course.end - length * LABEL).map((at) => (
          <span key={at} className="rule absolute border-l pl-1" style={{ left: place(at) }}>
            {length > LONG_MS
              ? month(at)
              : length > 3 * DAY_MS
                ? day(at).replace(/^\w+,? /, "")
                : clock(at).slice(0, 5)}
          </span>
        ))}
      </div>
      <details className="mt-2">
        <summary className="cursor-pointer text-act text-sm">
          {choice ? (
            course.cut ? (
              "The latest of them. "
            ) : (
              ""
            )
          ) : (
            <>
              <span aria-hidden className="mr-1 inline-block size-3 bg-act" />
              {on}; the rest is {off}.{" "}
            </>
          )}
          {last &&
            `${stretches.length > 0 ? `Before ${exact(last.end)}, a` : "A"} bar is as high as its part of the ${row}. `}
          In words
        </summary>
        <ol className="mt-2 text-sm">
          {told
            .reverse()
            .slice(0, TOLD)
            .map((one) => (
              <li key={one.start}>
                {exact(one.start)}: {one.text}
              </li>
            ))}
        </ol>
      </details>
    </div>
  );
}

/** A shade of its own for each word; the first one, mostly off, is the paper's. */
const shade = (value: number) =>
  value === 0
    ? "var(--rule)"
    : `color-mix(in oklab, ${SHADES[(value - 1) % SHADES.length]} ${value > SHADES.length ? 35 : 60}%, var(--sheet))`;
const SHADES = ["var(--act)", "var(--amber)", "var(--madder)", "var(--faint)"];

const STEPS_MS = [10, 60, 180, 360, 1_440, 4 * 1_440, 7 * 1_440].map((min) => min * 60_000);
const MOST_TICKS = 9;
// From here on, ticks are the beginnings of months.
const LONG_MS = MOST_TICKS * 7 * DAY_MS;

/** Round moments of house time, nine at most. */
export function ticks(start: number, end: number): number[] {
  const found = [];
  const step = STEPS_MS.find((one) => (end - start) / one <= MOST_TICKS);
  if (step !== undefined) {
    const offset = zoneOffset(start);
    const first = Math.ceil((start + offset) / step) * step - offset;
    for (let at = first; at < end - step / 4; at += step) found.push(at);
    return found;
  }
  const every = Math.ceil((end - start) / (MOST_TICKS * 30 * DAY_MS));
  const first = new Date(start + zoneOffset(start));
  for (let n = 1; ; n += every) {
    const wall = Date.UTC(first.getUTCFullYear(), first.getUTCMonth() + n, 1);
    const at = wall - zoneOffset(wall);
    if (at >= end) return found;
    found.push(at);
  }
}

const month = (at: number) =>
  new Date(at).toLocaleDateString("en-GB", {
    timeZone: hubTime.zone,
    month: "short",
    year: "2-digit",
  });

/** How far house time is ahead of UTC at a moment, in ms. */
function zoneOffset(at: number): number {
  const local = new Date(at).toLocaleString("sv-SE", { timeZone: hubTime.zone });
  return Date.parse(`${local.replace(" ", "T")}Z`) - Math.floor(at / 1000) * 1000;
}
