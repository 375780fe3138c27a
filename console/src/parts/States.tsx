// An entity with two states over time: bars where it was at the second one, and the
// stretches in words for who cannot see them.
import type { Entity, Schemas } from "../api/client";
import { clock, day, exact, hubTime, span } from "../ui/time";

type Stretches = Schemas["Stretches"];
const TOLD = 40;
// The part of the width that the time under a tick takes: none begins too near the edge.
const LABEL = 0.06;

export function States({ course, entity }: { course: Stretches; entity: Entity }) {
  const [off = "0", on = "1"] = entity.words ?? [];
  const length = course.end - course.start;
  const place = (at: number) => `${((at - course.start) / length) * 100}%`;
  const long = (ms: number) => span(Math.round(ms / 1000));
  return (
    <div className="rule border-y py-4">
      <div
        role="img"
        aria-label={`${on} as bars, from ${exact(course.start)} to ${exact(course.end)}`}
        className="relative h-16 bg-sheet"
      >
        {course.stretches.map((one) => (
          <span
            key={one.start}
            title={`${one.value >= 0.5 ? on : off} for ${long(one.end - one.start)}, from ${exact(one.start)}`}
            className={`absolute inset-y-0 min-w-px ${one.value >= 0.5 ? "bg-act" : "border-rule border-b-2"}`}
            style={{
              left: place(one.start),
              width: `calc(${place(one.end)} - ${place(one.start)})`,
            }}
          />
        ))}
      </div>
      <div className="relative mt-1 h-5 overflow-hidden text-faint text-xs">
        {ticks(course.start, course.end - length * LABEL).map((at) => (
          <span key={at} className="rule absolute border-l pl-1" style={{ left: place(at) }}>
            {length > 3 * 86_400_000 ? day(at).replace(/^\w+,? /, "") : clock(at).slice(0, 5)}
          </span>
        ))}
      </div>
      <details className="mt-2">
        <summary className="cursor-pointer text-act text-sm">
          <span aria-hidden className="mr-1 inline-block size-3 bg-act" />
          {on}; the rest is {off}. In words
        </summary>
        <ol className="mt-2 text-sm">
          {[...course.stretches]
            .reverse()
            .slice(0, TOLD)
            .map((one) => (
              <li key={one.start}>
                {exact(one.start)}: {one.value >= 0.5 ? on : off} for {long(one.end - one.start)}
              </li>
            ))}
        </ol>
      </details>
    </div>
  );
}

const STEPS_MS = [10, 60, 180, 360, 1_440, 4 * 1_440, 7 * 1_440].map((min) => min * 60_000);

/** Round moments of house time, eight at most. */
function ticks(start: number, end: number): number[] {
  const step = STEPS_MS.find((one) => (end - start) / one <= 9) ?? 7 * 86_400_000;
  const offset = zoneOffset(start);
  const first = Math.ceil((start + offset) / step) * step - offset;
  const found = [];
  for (let at = first; at < end - step / 4; at += step) found.push(at);
  return found;
}

/** How far house time is ahead of UTC at a moment, in ms. */
function zoneOffset(at: number): number {
  const local = new Date(at).toLocaleString("sv-SE", { timeZone: hubTime.zone });
  return Date.parse(`${local.replace(" ", "T")}Z`) - Math.floor(at / 1000) * 1000;
}
