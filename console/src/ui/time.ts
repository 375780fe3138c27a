// Times and lengths of time, as people read them; in house time where a zone is given.
import { useEffect, useState } from "react";

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

/** The exact moment, for a tooltip. */
export function exact(at: number | null | undefined, timeZone?: string): string {
  if (!at) return "";
  return new Intl.DateTimeFormat("en-GB", {
    dateStyle: "medium",
    timeStyle: "medium",
    timeZone,
  }).format(at);
}

/** Hours and minutes of the day. */
export function clock(at: number, timeZone?: string): string {
  return new Intl.DateTimeFormat("en-GB", { timeStyle: "medium", timeZone }).format(at);
}

/** The day, for a heading. */
export function day(at: number, timeZone?: string): string {
  return new Intl.DateTimeFormat("en-GB", {
    weekday: "long",
    day: "numeric",
    month: "long",
    timeZone,
  }).format(at);
}

/** The hour of the day as a fraction of 24, in house time. */
export function hourOf(at: number, timeZone?: string): number {
  const parts = new Intl.DateTimeFormat("en-GB", {
    hour: "numeric",
    minute: "numeric",
    second: "numeric",
    hourCycle: "h23",
    timeZone,
  }).formatToParts(at);
  const part = (type: string) => Number(parts.find((p) => p.type === type)?.value ?? 0);
  return part("hour") + part("minute") / 60 + part("second") / 3600;
}

/** The present, moved on every `every` ms. */
export function useNow(every = 1000): number {
  const [now, setNow] = useState(Date.now);
  useEffect(() => {
    const timer = window.setInterval(() => setNow(Date.now()), every);
    return () => window.clearInterval(timer);
  }, [every]);
  return now;
}
