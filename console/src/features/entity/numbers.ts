// A history in numbers.
import type { History } from "../../api/client";

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

/**
 * Columns for a chart, with a gap wherever nothing was heard for `gaps` bucket widths
 * or the usual distance, whichever is longer.
 */
export function columns(
  history: Pick<History, "at" | "mean" | "low" | "high" | "width_ms">,
  gaps = 4,
) {
  const steps = history.at.slice(1).map((at, place) => at - (history.at[place] ?? at));
  const usual = [...steps].sort((a, b) => a - b)[Math.floor(steps.length * 0.9)] ?? 0;
  const longest = gaps * Math.max(history.width_ms, usual);
  const at: number[] = [];
  const series: (number | null)[][] = [[], [], []];
  history.at.forEach((time, place) => {
    const before = history.at[place - 1];
    if (before !== undefined && time - before > longest) {
      at.push((before + time) / 2000);
      for (const column of series) column.push(null);
    }
    at.push(time / 1000);
    [history.mean, history.low, history.high].forEach((source, n) => {
      series[n]?.push(source[place] ?? null);
    });
  });
  return [at, ...series] as [number[], ...(number | null)[][]];
}
