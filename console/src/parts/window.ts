// The stretch of time that a chart shows: a usual span that ends now, or any other, as the
// page's address says it.
import { useCallback } from "react";
import { useSearchParams } from "react-router";
import type { Span } from "../api/client";
import { hubNow } from "../ui/time";

export const SPANS_MS: Record<Span, number> = {
  hour: 3_600_000,
  day: 86_400_000,
  week: 7 * 86_400_000,
  month: 30 * 86_400_000,
  year: 365 * 86_400_000,
};
export const SPANS = Object.keys(SPANS_MS) as Span[];

const NARROWEST_MS = 60_000;
const WIDEST_MS = 20 * SPANS_MS.year;

/** From when until when; `span` where it is a usual one that ends now and moves on. */
export interface Window {
  span: Span | null;
  start: number;
  end: number;
}

/** What an address asks for; a day when it asks for nothing that can be. */
export function windowOf(search: URLSearchParams, now: number): Window {
  const [from, to] = [Number(search.get("from")), Number(search.get("to"))];
  if (Number.isFinite(from) && Number.isFinite(to) && from > 0 && to > from)
    return fitted({ start: from, end: to }, now);
  const span = SPANS.find((one) => one === search.get("span")) ?? "day";
  return { span, start: now - SPANS_MS[span], end: now };
}

/** Closer to a moment (`factor` under 1) or further from it. */
export function zoomed(window: Window, factor: number, at: number, now: number): Window {
  return fitted(
    { start: at - (at - window.start) * factor, end: at + (window.end - at) * factor },
    now,
  );
}

/** Moved by a part of its own length; to the past where that is negative. */
export function panned(window: Window, part: number, now: number): Window {
  const by = (window.end - window.start) * part;
  return fitted({ start: window.start + by, end: window.end + by }, now);
}

/** Not too narrow, not too wide, and not beyond now. */
export function fitted(wanted: { start: number; end: number }, now: number): Window {
  const length = Math.min(WIDEST_MS, Math.max(NARROWEST_MS, wanted.end - wanted.start));
  const middle = (wanted.start + wanted.end) / 2;
  const end = Math.round(Math.min(now, middle + length / 2));
  return { span: null, start: Math.round(Math.max(1, end - length)), end };
}

/** How the hub is asked for it. */
export function asked({ span, start, end }: Window) {
  return span ? { span } : { start, end };
}

/** The page's window, kept in its address so that it can be shared. */
export function useWindow(): [Window, (to: Window) => void] {
  const [search, setSearch] = useSearchParams();
  const set = useCallback(
    (to: Window) =>
      setSearch(
        (before) => {
          const after = new URLSearchParams(before);
          for (const key of ["span", "from", "to"]) after.delete(key);
          if (to.span) after.set("span", to.span);
          else {
            after.set("from", String(to.start));
            after.set("to", String(to.end));
          }
          return after;
        },
        { replace: true },
      ),
    [setSearch],
  );
  return [windowOf(search, hubNow()), set];
}
