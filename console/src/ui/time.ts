// Times and lengths of time, as people read them; in house time where a zone is given.
import { useEffect, useState, useSyncExternalStore } from "react";

/**
 * How the hub tells the time: how far its clock is ahead of this device's, and the
 * house's zone. Ages are counted from its clock, and times are the house's.
 */
export const hubTime = { aheadMs: 0, zone: undefined as string | undefined };

/** The present by the hub's clock. */
export const hubNow = () => Date.now() + hubTime.aheadMs;

/** How long ago: "12 s ago", "3 min ago". */
export function ago(at: number | null | undefined, now: number): string {
  if (!at) return "never";
  const seconds = Math.max(0, Math.floor((now - at) / 1000));
  return seconds < 2 ? "just now" : `${span(seconds)} ago`;
}

/** A length of time in its largest unit: "12 s", "3 min". */
export function span(seconds: number): string {
  if (seconds < 60) return `${seconds} s`;
  if (seconds < 3600) return `${Math.floor(seconds / 60)} min`;
  if (seconds < 86_400) return `${Math.floor(seconds / 3600)} h`;
  return `${Math.floor(seconds / 86_400)} d`;
}

const FORMS = {
  exact: { dateStyle: "medium", timeStyle: "medium" },
  clock: { timeStyle: "medium" },
  since: { weekday: "short", day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" },
  day: { weekday: "long", day: "numeric", month: "long" },
  date: { dateStyle: "long" },
  ofHour: { hour: "2-digit", minute: "2-digit", hourCycle: "h23" },
  ofDay: { weekday: "short", day: "numeric" },
  ofWeek: { day: "numeric", month: "short" },
  ofMonth: { month: "short" },
  ofYear: { year: "numeric" },
  hour: { hour: "numeric", minute: "numeric", second: "numeric", hourCycle: "h23" },
} satisfies Record<string, Intl.DateTimeFormatOptions>;

/** Formatters are dear to make (0.1 ms on a phone) and cheap to use: each is made once. */
const formats = new Map<string, Intl.DateTimeFormat>();

function format(form: keyof typeof FORMS, timeZone: string | undefined): Intl.DateTimeFormat {
  const key = `${form} ${timeZone}`;
  let made = formats.get(key);
  if (!made) {
    made = new Intl.DateTimeFormat("en-GB", { ...FORMS[form], timeZone });
    formats.set(key, made);
  }
  return made;
}

/** A length of time in its two largest units: "3 d 10 h", "12 min 5 s". */
export function length(ms: number): string {
  let rest = Math.round(ms / 1000);
  const parts: string[] = [];
  for (const [unit, size] of [
    ["d", 86_400],
    ["h", 3600],
    ["min", 60],
    ["s", 1],
  ] as const) {
    const count = Math.floor(rest / size);
    rest -= count * size;
    if (count > 0) parts.push(`${count} ${unit}`);
    else if (parts.length > 0) break;
  }
  return parts.slice(0, 2).join(" ") || "0 s";
}

/** The exact moment, for a tooltip. */
export function exact(at: number | null | undefined, timeZone = hubTime.zone): string {
  return at ? format("exact", timeZone).format(at) : "";
}

/** Hours and minutes of the day. */
export function clock(at: number, timeZone = hubTime.zone): string {
  return format("clock", timeZone).format(at);
}

/** Since when something is so: 12:21 today, else with the day. */
export function sinceWhen(at: number, now = hubNow(), timeZone = hubTime.zone): string {
  const today = isoDay(at, timeZone) === isoDay(now, timeZone);
  return format(today ? "ofHour" : "since", timeZone).format(at);
}

/** The day, for a heading. */
export function day(at: number, timeZone = hubTime.zone): string {
  return format("day", timeZone).format(at);
}

/** The date, with its year. */
export function date(at: number, timeZone = hubTime.zone): string {
  return format("date", timeZone).format(at);
}

/** The day as it is written, like 2026-11-27. */
export function isoDay(at: number, timeZone = hubTime.zone): string {
  return new Intl.DateTimeFormat("sv-SE", { timeZone }).format(at);
}

/** A span of the calendar, by what tells it from its neighbours. */
export function short(
  at: number,
  per: "hour" | "day" | "week" | "month" | "year",
  timeZone = hubTime.zone,
): string {
  const form = { hour: "ofHour", day: "ofDay", week: "ofWeek", month: "ofMonth", year: "ofYear" };
  return format(form[per] as keyof typeof FORMS, timeZone).format(at);
}

/** The hour of the day as a fraction of 24, in house time. */
export function hourOf(at: number, timeZone = hubTime.zone): number {
  const parts = format("hour", timeZone).formatToParts(at);
  const part = (type: string) => Number(parts.find((p) => p.type === type)?.value ?? 0);
  return part("hour") + part("minute") / 60 + part("second") / 3600;
}

/**
 * A time of the house's clock, like "2026-11-27 10:00", in ms; null for what is none. An
 * hour that comes twice is the first one.
 */
export function houseMs(text: string, timeZone = hubTime.zone): number | null {
  const parts = /^(\d{4})-(\d\d)-(\d\d)[ T](\d\d):(\d\d)(?::(\d\d))?$/.exec(text.trim());
  if (!parts) return null;
  const [year = 0, month = 1, day = 1, hour = 0, minute = 0, second = 0] = parts
    .slice(1)
    .map((part) => Number(part ?? 0));
  const wall = Date.UTC(year, month - 1, day, hour, minute, second);
  if (Number.isNaN(wall) || new Date(wall).getUTCDate() !== day) return null;
  // How far the house's clock is ahead, looked at a day before: before any change.
  const ahead = (at: number) => {
    const [h, m] = [hourOf(at, timeZone), new Date(at)];
    const there = h * 3_600_000;
    const here = at - Date.UTC(m.getUTCFullYear(), m.getUTCMonth(), m.getUTCDate());
    const found = there - here;
    return found > 14 * 3_600_000
      ? found - 86_400_000
      : found < -12 * 3_600_000
        ? found + 86_400_000
        : found;
  };
  const first = wall - ahead(wall - 43_200_000);
  return first + ahead(first) === wall ? first : wall - ahead(first);
}

/** The present by the hub's clock, moved on every `every` ms. */
export function useNow(every = 1000): number {
  const [now, setNow] = useState(hubNow);
  useEffect(() => {
    const timer = window.setInterval(() => setNow(hubNow()), every);
    return () => window.clearInterval(timer);
  }, [every]);
  return now;
}

/** One timer for all ages on a page. */
const ticks = {
  listeners: new Set<() => void>(),
  timer: 0,
  listen(call: () => void) {
    ticks.listeners.add(call);
    ticks.timer ||= window.setInterval(() => {
      for (const one of ticks.listeners) one();
    }, 1000);
    return () => {
      ticks.listeners.delete(call);
      if (ticks.listeners.size === 0) {
        window.clearInterval(ticks.timer);
        ticks.timer = 0;
      }
    };
  },
};

/** How long ago, moved on by itself; drawn again only when it reads otherwise. */
export function useAgo(at: number | null | undefined): string {
  return useSyncExternalStore(ticks.listen, () => ago(at, hubNow()));
}
