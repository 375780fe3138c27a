// Courses that are made of others.
import type { History } from "../../api/client";

/** The same course, as if it had begun at that moment. */
export function shifted(history: History, start: number): History {
  const by = start - history.start;
  return {
    ...history,
    start,
    end: history.end + by,
    at: history.at.map((at) => at + by),
  };
}

/** One course less the other, where both have something in the same bucket. */
export function differenceOf(a: History, b: History): History {
  const bucket = (history: History, at: number) =>
    Math.floor((at - history.start) / history.width_ms);
  const others = new Map(b.at.map((at, n) => [bucket(b, at), n]));
  const found = a.at.flatMap((at, n) => {
    const other = others.get(bucket(a, at));
    const [first, second] = [a.mean[n], other === undefined ? undefined : b.mean[other]];
    if (first === undefined || second === undefined) return [];
    return [{ at, value: first - second, count: a.count[n] ?? 0 }];
  });
  const values = found.map((one) => one.value);
  return {
    ...a,
    at: found.map((one) => one.at),
    mean: values,
    low: values,
    high: values,
    count: found.map((one) => one.count),
  };
}
