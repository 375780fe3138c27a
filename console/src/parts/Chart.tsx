// The chart: the courses of some entities over one span. Dragging, the wheel, fingers and
// keys choose another span; arrow keys move its cursor.
import { type KeyboardEvent, useEffect, useRef, useState } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import { shown } from "../api/readings";
import { clock, day, hubNow } from "../ui/time";
import { followGestures } from "./gestures";
import { LimitHandle } from "./LimitHandle";
import {
  type ChartMark,
  type Course,
  type Doubt,
  HEIGHT,
  joined,
  type Limits,
  MOST_UNITS,
  nameOf,
  options,
  unitsOf,
} from "./plot";
import { fitted, panned, type Window, zoomed } from "./window";

const NO_LIMITS: Limits = [];
const NO_MARKS: ChartMark[] = [];
const NO_DOUBTS: Doubt[] = [];

export function Chart({
  courses,
  window: shownWindow,
  onWindow,
  onReset,
  limits = NO_LIMITS,
  marks = NO_MARKS,
  doubts = NO_DOUBTS,
  over = null,
  onOver,
  live = false,
}: {
  courses: Course[];
  window: Window;
  onWindow: (to: Window) => void;
  onReset: () => void;
  limits?: Limits;
  marks?: ChartMark[];
  doubts?: Doubt[];
  over?: number | null;
  onOver?: (value: number) => void;
  live?: boolean;
}) {
  const box = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const [ready, setReady] = useState<uPlot | null>(null);
  const drawn = useRef({ limits, marks, doubts, over });
  drawn.current = { limits, marks, doubts, over };
  const latest = useRef({ courses, shownWindow, onWindow, onReset });
  latest.current = { courses, shownWindow, onWindow, onReset };
  // Made again when what it is made of changes; new data alone is put into the one that
  // is there.
  const made = courses.map((one) => `${one.entity.entity} ${one.name} ${one.entity.unit}`).join();

  // biome-ignore lint/correctness/useExhaustiveDependencies: readings change the entities every few seconds, their identity does not
  useEffect(() => {
    const target = box.current;
    if (!target) return;
    let unfollow = () => {};
    const make = () => {
      unfollow();
      plot.current?.destroy();
      const choose = (start: number, end: number) =>
        latest.current.onWindow(fitted({ start, end }, hubNow()));
      const how = options(target.clientWidth, latest.current.courses, drawn, choose);
      const fresh = new uPlot(how, joined(latest.current.courses), target);
      fresh.over.addEventListener("dblclick", () => latest.current.onReset());
      unfollow = followGestures(
        fresh,
        () => latest.current.shownWindow,
        (to) => latest.current.onWindow(to),
      );
      plot.current = fresh;
      setReady(fresh);
    };
    make();
    const resized = new ResizeObserver(() =>
      plot.current?.setSize({ width: target.clientWidth, height: HEIGHT }),
    );
    resized.observe(target);
    const dark = window.matchMedia("(prefers-color-scheme: dark)");
    dark.addEventListener("change", make);
    return () => {
      dark.removeEventListener("change", make);
      resized.disconnect();
      unfollow();
      plot.current?.destroy();
      plot.current = null;
      setReady(null);
    };
  }, [made]);

  useEffect(() => {
    if (!plot.current || courses.length === 0) return;
    plot.current.setData(joined(courses));
  }, [courses]);

  // A span that ends now is as long as what was fetched of it; any other is the one asked
  // for, also while its course is on its way.
  const first = courses[0]?.history;
  const start = shownWindow.span && first ? first.start : shownWindow.start;
  const end = shownWindow.span && first ? first.end : shownWindow.end;
  // biome-ignore lint/correctness/useExhaustiveDependencies: new data takes its scale with it
  useEffect(() => {
    plot.current?.setScale("x", { min: start / 1000, max: end / 1000 });
  }, [start, end, courses, made]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn again when what lies over the courses changes
  useEffect(() => plot.current?.redraw(false, true), [limits, marks, doubts, over]);

  function onKey(event: KeyboardEvent) {
    const found = plot.current;
    if (!found || event.target !== box.current) return;
    const now = hubNow();
    const at = (shownWindow.start + shownWindow.end) / 2;
    const sideways = { ArrowLeft: -0.25, ArrowRight: 0.25 }[event.key];
    if (event.shiftKey && sideways) onWindow(panned(shownWindow, sideways, now));
    else if (event.key === "+" || event.key === "=") onWindow(zoomed(shownWindow, 0.5, at, now));
    else if (event.key === "-") onWindow(zoomed(shownWindow, 2, at, now));
    else if (event.key === "0") onReset();
    else {
      const step = { ArrowLeft: -1, ArrowRight: 1, PageUp: -12, PageDown: 12 }[event.key];
      if (!step) return;
      const times = found.data[0];
      const from = found.cursor.idx ?? (step > 0 ? -1 : times.length);
      const to = Math.max(0, Math.min(times.length - 1, from + step));
      const left = found.valToPos(times[to] ?? 0, "x");
      found.setCursor({ left, top: HEIGHT / 2 });
    }
    event.preventDefault();
  }

  if (unitsOf(courses).length > MOST_UNITS)
    return <p>A chart shows at most two units. Remove a value that has another unit.</p>;
  const alone = courses.length === 1 ? courses[0] : undefined;
  return (
    <div className="relative">
      {/* biome-ignore lint/a11y/useSemanticElements: it is drawn, and read with the arrow keys */}
      <div
        ref={box}
        role="figure"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: it is read with the arrow keys
        tabIndex={0}
        onKeyDown={onKey}
        aria-label={`Chart. ${courses.map(inWords).join("; ")}. Arrow keys move its cursor, plus and minus zoom, Shift with the arrow keys moves the span, 0 goes back.`}
        className="rule min-h-[340px] border-y py-2"
      />
      {alone && ready && over !== null && onOver && (
        <LimitHandle plot={ready} entity={alone.entity} value={over} onValue={onOver} live={live} />
      )}
    </div>
  );
}

function inWords(course: Course): string {
  const { history, entity } = course;
  if (history.at.length === 0) return `${nameOf(course)}: no readings`;
  if (entity.drawn === "needle")
    return `${nameOf(course)} from ${day(history.start)} ${clock(history.start)}: last ${shown(history.mean.at(-1) ?? null, entity)}`;
  const low = shown(Math.min(...history.low), entity);
  const high = shown(Math.max(...history.high), entity);
  return `${nameOf(course)} from ${day(history.start)} ${clock(history.start)}: between ${low} and ${high}`;
}
