// Courses that are made of others.
import type { Entity, History } from "../../api/client";

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

const FIRST = ["temperature", "humidity", "co2"];

/** What two rooms have both, one value of each kind and room side by side, as far as two
 * units reach. */
export function ofBothRooms(all: Entity[], one: string, other: string): string[] {
  const of = (room: string) =>
    all.filter(
      (e) =>
        e.room === room && !e.hidden && e.drawn !== "marks" && !e.words && e.kind !== "battery",
    );
  const rank = (e: Entity) => FIRST.indexOf(e.kind) + 1 || FIRST.length + 1;
  const units = new Set<string>();
  const kinds = new Set<string>();
  return of(one)
    .sort((a, b) => rank(a) - rank(b) || a.entity.localeCompare(b.entity))
    .flatMap((first) => {
      const second = of(other).find((e) => e.kind === first.kind);
      if (!second || kinds.has(first.kind) || (units.size === 2 && !units.has(first.unit)))
        return [];
      kinds.add(first.kind);
      units.add(first.unit);
      return [first.entity, second.entity];
    })
    .slice(0, 8);
}
