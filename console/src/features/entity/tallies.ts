// Tallies: how many of each span are shown, and with which the present one is compared.
import type { EntityDetail, Schemas } from "../../api/client";

export type Per = "hour" | "day" | "week" | "month" | "year";

const HOUR = 3_600_000;

/** For each span: how many, how long one is at most, and what they are called. */
export const PER: Record<
  Per,
  { count: number; ms: number; now: string; before: string; back: number; same: string }
> = {
  hour: {
    count: 25,
    ms: HOUR,
    now: "this hour",
    before: "the hour before",
    back: 24,
    same: "the same hour yesterday",
  },
  day: {
    count: 15,
    ms: 24 * HOUR,
    now: "today",
    before: "yesterday",
    back: 7,
    same: "the same day last week",
  },
  week: {
    count: 13,
    ms: 7 * 24 * HOUR,
    now: "this week",
    before: "last week",
    back: 4,
    same: "four weeks ago",
  },
  month: {
    count: 13,
    ms: 31 * 24 * HOUR,
    now: "this month",
    before: "last month",
    back: 12,
    same: "the same month last year",
  },
  year: { count: 5, ms: 366 * 24 * HOUR, now: "this year", before: "last year", back: 0, same: "" },
};

const TALLIES = ["starts", "time-on", "amount"];

/** In which spans an entity counts; null for one that is not a tally. */
export function perOf(entity: EntityDetail): Per | null {
  const how = entity.computed;
  if (!how || !TALLIES.includes(how.method)) return null;
  return (Object.keys(PER) as Per[]).find((one) => one === how.parameters.per) ?? null;
}

/** From when on its rows are asked for. */
export const startOf = (end: number, per: Per) =>
  Math.max(0, end - (PER[per].count - 1) * PER[per].ms);

/** The present span in words, the one before, and the one that is like it. */
export function compared(
  rows: Pick<Schemas["Row"], "high">[],
  per: Per,
): { word: string; value: number | null }[] {
  const { now, before, back, same } = PER[per];
  const wanted: [string, number][] = [
    [now, 1],
    [before, 2],
    [same, back + 1],
  ];
  return wanted.flatMap(([word, from]) => {
    const row = rows.at(-from);
    return word && row ? [{ word, value: row.high }] : [];
  });
}
