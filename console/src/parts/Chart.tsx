// The chart: the courses of some entities over one span. Arrow keys move its cursor.
import { type KeyboardEvent, useEffect, useRef } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import { shown } from "../api/readings";
import { clock, day } from "../ui/time";
import { type Course, HEIGHT, joined, type Limits, MOST_UNITS, options, unitsOf } from "./plot";

const NO_LIMITS: Limits = [];

export function Chart({ courses, limits = NO_LIMITS }: { courses: Course[]; limits?: Limits }) {
  const box = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const wanted = useRef(limits);
  wanted.current = limits;
  const latest = useRef(courses);
  latest.current = courses;
  // Made again when what it is made of changes; new data alone is put into the one that
  // is there.
  const made = courses.map((one) => `${one.entity.entity} ${one.history.width_ms}`).join(" ");

  // biome-ignore lint/correctness/useExhaustiveDependencies: readings change the entities every few seconds, their identity does not
  useEffect(() => {
    const target = box.current;
    if (!target) return;
    const make = () => {
      plot.current?.destroy();
      const how = options(target.clientWidth, latest.current, wanted);
      plot.current = new uPlot(how, joined(latest.current), target);
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
      plot.current?.destroy();
      plot.current = null;
    };
  }, [made]);

  useEffect(() => {
    const first = courses[0]?.history;
    if (!plot.current || !first) return;
    plot.current.setData(joined(courses));
    plot.current.setScale("x", { min: first.start / 1000, max: first.end / 1000 });
  }, [courses]);

  function onKey(event: KeyboardEvent) {
    const found = plot.current;
    const step = { ArrowLeft: -1, ArrowRight: 1, PageUp: -12, PageDown: 12 }[event.key];
    if (!found || !step) return;
    event.preventDefault();
    const times = found.data[0];
    const from = found.cursor.idx ?? (step > 0 ? -1 : times.length);
    const to = Math.max(0, Math.min(times.length - 1, from + step));
    const left = found.valToPos(times[to] ?? 0, "x");
    found.setCursor({ left, top: HEIGHT / 2 });
  }

  if (unitsOf(courses).length > MOST_UNITS)
    return <p>A chart shows at most two units. Remove a value that has another unit.</p>;
  return (
    // biome-ignore lint/a11y/useSemanticElements: it is drawn, and read with the arrow keys
    <div
      ref={box}
      role="figure"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: it is read with the arrow keys
      tabIndex={0}
      onKeyDown={onKey}
      aria-label={`Chart. ${courses.map(inWords).join("; ")}. Arrow keys move its cursor.`}
      className="rule min-h-[340px] border-y py-2"
    />
  );
}

function inWords({ history, entity }: Course): string {
  const low = shown(Math.min(...history.low), entity);
  const high = shown(Math.max(...history.high), entity);
  return `${entity.spoken} from ${day(history.start)} ${clock(history.start)}: between ${low} and ${high}`;
}
