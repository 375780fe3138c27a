// The geometry of the course behind a tile, in a box of 100 by 100.
import type { History } from "../api/client";

export interface Trend {
  line: string;
  area: string;
  limits: number[];
}

export function trend(
  history: Pick<History, "at" | "mean" | "start" | "end">,
  limits: { limit: number; until: number | null; high?: number | null }[],
): Trend {
  // A limit without an end or a second side draws one line, not three.
  const wanted = [
    ...new Set(limits.flatMap((l) => [l.limit, l.until ?? l.limit, l.high ?? l.limit])),
  ];
  const low = Math.min(...history.mean, ...wanted);
  const high = Math.max(...history.mean, ...wanted);
  const x = (at: number) => round(((at - history.start) / (history.end - history.start)) * 100);
  // A flat course lies in the middle; none touches the edge.
  const y = (value: number) =>
    high === low ? 50 : round(92 - ((value - low) / (high - low)) * 84);
  const points = history.at.map((at, place) => `${x(at)} ${y(history.mean[place] ?? low)}`);
  const line = `M${points.join("L")}`;
  const first = history.at[0] ?? history.start;
  const last = history.at.at(-1) ?? history.end;
  return { line, area: `${line}L${x(last)} 100L${x(first)} 100Z`, limits: wanted.map(y) };
}

function round(value: number): number {
  return Math.round(value * 10) / 10;
}
