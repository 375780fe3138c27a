// Steps while they are written: as the form has them, and as the hub takes them.
import type { History, Schemas } from "../../api/client";

export type Step = Record<string, number | string>;
export type StepSort = Schemas["StepSort"];
type Tried = Schemas["TriedConditioning"];

const BUCKETS = 600;

/** A step of a sort with its usual numbers; what must be given begins in the middle. */
export function freshStep(sort: StepSort, entity: { low: number; high: number }): Step {
  const step: Step = { step: sort.step };
  for (const one of sort.parameters) {
    const usual = one.text
      ? "value"
      : one.name === "low"
        ? entity.low
        : one.name === "high"
          ? entity.high
          : 0;
    step[one.name] = one.default ?? usual;
  }
  return step;
}

/** The list with one step moved up or down. */
export function moved<T>(steps: T[], place: number, by: -1 | 1): T[] {
  const to = place + by;
  if (to < 0 || to >= steps.length) return steps;
  const after = [...steps];
  const [one] = after.splice(place, 1);
  if (one !== undefined) after.splice(to, 0, one);
  return after;
}

/**
 * A column of what was tried as a chart draws it: in buckets, with lowest and highest, so
 * that no spike is lost.
 */
export function courseOf(tried: Tried, values: (number | null)[]): History {
  const width = Math.max(1, Math.ceil((tried.end - tried.start) / BUCKETS));
  const history: History = {
    entity: tried.entity,
    unit: tried.unit,
    start: tried.start,
    end: tried.end,
    width_ms: width,
    at: [],
    mean: [],
    low: [],
    high: [],
    count: [],
  };
  let bucket = -1;
  let sum = 0;
  tried.at.forEach((at, n) => {
    const value = values[n];
    if (value === null || value === undefined) return;
    const here = Math.floor((at - tried.start) / width);
    const last = history.at.length - 1;
    if (here !== bucket) {
      bucket = here;
      sum = value;
      history.at.push(at);
      history.mean.push(value);
      history.low.push(value);
      history.high.push(value);
      history.count.push(1);
      return;
    }
    const count = (history.count[last] ?? 0) + 1;
    sum += value;
    history.count[last] = count;
    history.mean[last] = sum / count;
    history.low[last] = Math.min(history.low[last] ?? value, value);
    history.high[last] = Math.max(history.high[last] ?? value, value);
  });
  return history;
}
