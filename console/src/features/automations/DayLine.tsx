// A day of an automation as a line: where it stood, and a moment of it to look at.
import { useQuery } from "@tanstack/react-query";
import { api, ask, type Replay, type Schemas } from "../../api/client";
import { clock, exact } from "../../ui/time";
import { visible } from "../../ui/visible";

const DAY_MS = 86_400_000;
const MINUTE_MS = 60_000;
const LOOKS = {
  holding: { fill: "var(--color-amber)", height: 8, word: "holding" },
  waiting: { fill: "var(--color-faint)", height: 8, word: "waiting until it may act" },
  on: { fill: "var(--color-act)", height: 16, word: "on" },
} as const;

type Lane = Schemas["Lane"];
type Stretch = { from: number; to: number; as: keyof typeof LOOKS };

/** From its moves to the stretches in which it was not idle. */
export function stretches({
  stood,
  stood_from,
  start,
  end,
}: Pick<Replay, "stood" | "stood_from" | "start" | "end">) {
  const found: Stretch[] = [];
  stood.forEach((as, place) => {
    if (as === "idle") return;
    const from = Math.max(stood_from[place] ?? start, start);
    found.push({ from, to: stood_from[place + 1] ?? end, as });
  });
  return found;
}

/** From what a part said to the stretches in which it said yes, or nothing was known. */
export function yeses({ since, said }: Lane, end: number) {
  return since.flatMap((from, place) => {
    const so = said[place];
    return so === false || so === undefined ? [] : [{ from, to: since[place + 1] ?? end, so }];
  });
}

/** The same for who does not see it. */
function spoken(lane: Lane, end: number) {
  const found = yeses(lane, end).filter((one) => one.so);
  if (found.length === 0) return "not so all the while";
  const some = found.slice(-6).map((one) => `${hours(one.from)} to ${hours(one.to)}`);
  return `so from ${some.join(", ")}${found.length > 6 ? ", and before" : ""}`;
}

const hours = (at: number) => clock(at).slice(0, 5);

/** Where it stood, and what each part said, over a span; with the moment that is looked at. */
export function TimeLine({
  of,
  at,
}: {
  of: Pick<Replay, "stood" | "stood_from" | "start" | "end" | "lanes">;
  at: number;
}) {
  const share = (ms: number) => ((ms - of.start) / (of.end - of.start)) * 100;
  const here = Math.min(100, Math.max(0, share(at)));
  const wide = (from: number, to: number) => Math.max(0.3, share(to) - share(from));
  return (
    <>
      <svg viewBox="0 0 100 20" preserveAspectRatio="none" aria-hidden className="h-6 w-full">
        <line x1="0" x2="100" y1="18" y2="18" stroke="var(--color-rule)" strokeWidth="1" />
        {stretches(of).map((one) => (
          <rect
            key={`${one.from} ${one.as}`}
            x={share(one.from)}
            width={wide(one.from, one.to)}
            y={18 - LOOKS[one.as].height}
            height={LOOKS[one.as].height}
            fill={LOOKS[one.as].fill}
          />
        ))}
        <Here at={here} height={20} />
      </svg>
      <ul className="mt-1 flex flex-wrap gap-x-4 text-faint text-sm">
        {Object.values(LOOKS).map((look) => (
          <li key={look.word}>
            <span
              aria-hidden
              className="mr-1 inline-block size-2.5"
              style={{ background: look.fill }}
            />
            {look.word}
          </li>
        ))}
      </ul>
      {of.lanes.length > 0 && (
        <ul aria-label="What each part said" className="my-2 space-y-1">
          {of.lanes.map((lane) => (
            <li key={lane.text}>
              <p className="text-faint text-sm">{visible(lane.text)}</p>
              <svg
                viewBox="0 0 100 6"
                preserveAspectRatio="none"
                role="img"
                aria-label={spoken(lane, of.end)}
                className="h-1.5 w-full"
              >
                <rect x="0" y="2.5" width="100" height="1" fill="var(--color-rule)" />
                {yeses(lane, of.end).map((one) => (
                  <rect
                    key={one.from}
                    x={share(one.from)}
                    width={wide(one.from, one.to)}
                    y="0"
                    height="6"
                    fill={one.so ? "var(--color-act)" : "var(--color-rule)"}
                  />
                ))}
                <Here at={here} height={6} />
              </svg>
            </li>
          ))}
        </ul>
      )}
    </>
  );
}

function Here({ at, height }: { at: number; height: number }) {
  return (
    <line
      x1={at}
      x2={at}
      y1="0"
      y2={height}
      stroke="currentColor"
      strokeWidth="1"
      vectorEffect="non-scaling-stroke"
    />
  );
}

export function DayLine({
  text,
  now,
  at,
  onAt,
}: {
  text: string;
  now: number;
  at: number;
  onAt: (at: number) => void;
}) {
  // The last day, or the one around the moment that is looked at.
  const end = at > now - DAY_MS ? now : Math.min(now, at + DAY_MS / 2);
  const start = end - DAY_MS;
  const found = useQuery({
    queryKey: ["replay", "day", text, Math.round(end / (10 * MINUTE_MS))],
    queryFn: () => ask(api.POST("/api/automations/replay", { body: { text, start, end } })),
    placeholderData: (before) => before,
    retry: false,
  });
  if (!found.data) return null;
  const data = found.data;
  return (
    <div className="mb-4">
      <TimeLine of={data} at={at} />
      <Moment label="A moment of this day" start={data.start} end={data.end} at={at} onAt={onAt} />
      <div className="flex justify-between text-faint text-sm">
        <span>{exact(data.start).slice(0, -3)}</span>
        <span>{hours(data.end)}</span>
      </div>
    </div>
  );
}

/** A moment within a span, moved by hand. */
export function Moment({
  label,
  start,
  end,
  at,
  onAt,
}: {
  label: string;
  start: number;
  end: number;
  at: number;
  onAt: (at: number) => void;
}) {
  return (
    <input
      type="range"
      aria-label={label}
      aria-valuetext={exact(at)}
      min={start}
      max={end}
      step={end - start > DAY_MS / 4 ? MINUTE_MS : 1000}
      value={Math.min(Math.max(at, start), end)}
      onChange={(event) => onAt(Number(event.target.value))}
      className="w-full accent-act"
    />
  );
}
