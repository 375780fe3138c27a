// A history in numbers.
import type { Entity, History, Schemas } from "../api/client";

export function numbers(history: Pick<History, "mean" | "low" | "high" | "count">) {
  const count = history.count.reduce((sum, n) => sum + n, 0);
  const weighted = history.mean.reduce(
    (sum, mean, place) => sum + mean * (history.count[place] ?? 0),
    0,
  );
  return {
    low: Math.min(...history.low),
    high: Math.max(...history.high),
    mean: count ? weighted / count : 0,
    count,
  };
}

const DAY_MS = 86_400_000;

type Columns = Pick<History, "at" | "mean" | "low" | "high" | "count" | "width_ms">;

/**
 * Whether what is drawn is of a day, once buckets are an hour: a line that swings each
 * day hides a month. Of a switch, a day's mean says nothing.
 */
export function isCalm(history: Pick<History, "width_ms">, entity: Pick<Entity, "drawn">): boolean {
  return history.width_ms >= DAY_MS / 24 && entity.drawn === "line";
}

/** Mean, lowest and highest of the day around each moment. */
function ofDays(history: Columns): Pick<History, "mean" | "low" | "high"> {
  const days = history.at.map((time) => {
    const around = history.at.flatMap((at, n) => (Math.abs(at - time) <= DAY_MS / 2 ? [n] : []));
    const of = (column: number[]) => around.map((n) => column[n] ?? 0);
    return numbers({
      mean: of(history.mean),
      low: of(history.low),
      high: of(history.high),
      count: of(history.count),
    });
  });
  return {
    mean: days.map((one) => one.mean),
    low: days.map((one) => one.low),
    high: days.map((one) => one.high),
  };
}

/**
 * Columns for a chart, `calm` ones of the day around each moment, with a gap wherever
 * nothing was heard for four bucket widths or usual distances, whichever is longer.
 */
export function columns(history: Columns, calm = false) {
  const steps = history.at.slice(1).map((at, place) => at - (history.at[place] ?? at));
  const usual = [...steps].sort((a, b) => a - b)[Math.floor(steps.length * 0.9)] ?? 0;
  const longest = 4 * Math.max(history.width_ms, usual);
  const drawn = calm ? ofDays(history) : history;
  const at: number[] = [];
  const series: (number | null)[][] = [[], [], []];
  history.at.forEach((time, place) => {
    const before = history.at[place - 1];
    if (before !== undefined && time - before > longest) {
      at.push((before + time) / 2000);
      for (const column of series) column.push(null);
    }
    at.push(time / 1000);
    [drawn.mean, drawn.low, drawn.high].forEach((source, n) => {
      series[n]?.push(source[place] ?? null);
    });
  });
  return [at, ...series] as [number[], ...(number | null)[][]];
}

/** How long and how often a choice was each of its words, the longest first. */
export function spent(course: Pick<Schemas["Stretches"], "stretches">) {
  const all = new Map<number, { value: number; ms: number; times: number }>();
  for (const one of course.stretches) {
    const of = all.get(one.value) ?? { value: one.value, ms: 0, times: 0 };
    all.set(one.value, { ...of, ms: of.ms + one.end - one.start, times: of.times + 1 });
  }
  return [...all.values()].sort((a, b) => b.ms - a.ms);
}

/**
 * What an entity with states comes to: for how long it was at 1, and how often that began;
 * null where that is known for a part of the span only.
 */
export function stood(course: Pick<Schemas["Stretches"], "stretches" | "shares" | "cut">) {
  const { stretches, shares, cut } = course;
  const [first, begun] = [shares[0], stretches[0]];
  const whole = !cut && (!first || (begun && begun.start <= first.start));
  const sum = (some: number[]) => some.reduce((all, one) => all + one, 0);
  const length = (some: typeof stretches) => sum(some.map((one) => one.end - one.start));
  const on = stretches.filter((one) => one.value >= 0.5);
  // The first hour or day of the shares may begin before the span.
  return whole
    ? { onMs: length(on), ofMs: length(stretches), times: on.length }
    : {
        onMs: sum(shares.map((one) => one.on_ms)),
        ofMs: sum(shares.map((one) => one.known_ms)),
        times: null,
      };
}
