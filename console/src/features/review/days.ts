// The geometry of a usual day in a box of 240 by 48, and the days of the calendar that
// one goes to.
import type { ReviewedKind } from "../../api/client";

export const WIDTH = 240;
export const HEIGHT = 48;

type Hours = ReviewedKind["entities"][number]["day"];

/** The lowest and the highest of all usual days of a kind: they share one scale. */
export function scaleOf(kind: ReviewedKind): [number, number] {
  const hours = kind.entities.flatMap((one) => one.day);
  const low = Math.min(...hours.map((hour) => hour.low));
  const high = Math.max(...hours.map((hour) => hour.high));
  return [low, high];
}

/** The band and the line of a usual day; hours that are not known are left open. */
export function drawnDay(day: Hours, [low, high]: [number, number]) {
  const x = (hour: number) => ((hour + 0.5) * WIDTH) / 24;
  const y = (value: number) =>
    high === low ? HEIGHT / 2 : HEIGHT - 2 - ((value - low) / (high - low)) * (HEIGHT - 4);
  const at = (hour: number, value: number) => `${round(x(hour))} ${round(y(value))}`;
  const runs: Hours[] = [];
  for (const hour of day) {
    const last = runs.at(-1);
    if (last && last.at(-1)?.hour === hour.hour - 1) last.push(hour);
    else runs.push([hour]);
  }
  return runs.map((run) => ({
    key: run[0]?.hour ?? 0,
    line: `M${run.map((one) => at(one.hour, one.median)).join("L")}`,
    band: `M${[
      ...run.map((one) => at(one.hour, one.high)),
      ...run.toReversed().map((one) => at(one.hour, one.low)),
    ].join("L")}Z`,
  }));
}

const round = (value: number) => Math.round(value * 10) / 10;

/** A day in the span before or after the one that begins on `first`. */
export function beside(first: string, span: string, way: -1 | 1): string {
  const day = new Date(`${first}T00:00:00Z`);
  if (way > 0 && span === "month") day.setUTCMonth(day.getUTCMonth() + 1);
  else day.setUTCDate(day.getUTCDate() + (way < 0 ? -1 : 7));
  return day.toISOString().slice(0, 10);
}
