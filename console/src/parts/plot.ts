// How courses are drawn: one axis for each unit, a line for each mean, a band from lowest
// to highest, and the limits of automations as fine lines.
import uPlot from "uplot";
import type { Entity, EntityDetail, History } from "../api/client";
import { shown } from "../api/readings";
import { clock, day, hubTime, length } from "../ui/time";
import { columns, isCalm } from "./numbers";

export type Limits = EntityDetail["watchers"];

/** One entity's history, as a line of a chart; `name` where it is not the entity's. */
export interface Course {
  history: History;
  entity: Pick<Entity, "entity" | "spoken" | "unit" | "decimals" | "words" | "drawn">;
  name?: string;
}

/** A moment that is marked at the foot of a chart: an automation started, or ended. */
export interface ChartMark {
  at: number;
  start: boolean;
  text: string;
}

export const HEIGHT = 340;
// Less is a click that slipped.
const LEAST_PX = 6;
export const MOST_UNITS = 2;
const COLOURS = ["act", "madder", "amber", "faint"];
// What directions are called on their axis.
const POINTS: Record<number, string> = { 0: "N", 90: "E", 180: "S", 270: "W", 360: "N" };
const DASHES = [[], [7, 4], [2, 3]];

export function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();
}

/** The units of some courses, in their order; a chart has room for two. */
export function unitsOf(courses: Course[]): string[] {
  return [...new Set(courses.map((one) => one.entity.unit))];
}

/** The courses on one line of times: mean, lowest and highest of each. */
export function joined(courses: Course[]): uPlot.AlignedData {
  const tables = courses.map((one) => columns(one.history, isCalm(one.history, one.entity)));
  return uPlot.join(
    tables,
    // A gap in one course is a gap, also where another has a reading.
    tables.map((table) => table.map(() => 2)),
  );
}

/** When a reading was not good, and whether it was bad. */
export interface Doubt {
  at: number;
  bad: boolean;
}

/** What is drawn over the courses. */
export interface Drawn {
  limits: Limits;
  marks: ChartMark[];
  doubts: Doubt[];
  over: number | null;
}

/** A course's name in words. */
export const nameOf = (course: Course) => course.name ?? course.entity.spoken;

/** The line's colour of the course at a place, as a CSS colour. */
export const toneOf = (place: number) => `var(--${toneName(place)})`;
export const toneName = (place: number) => COLOURS[place % COLOURS.length] ?? "act";

export function options(
  width: number,
  courses: Course[],
  drawn: { current: Drawn },
  onSpan: (start: number, end: number) => void = () => undefined,
): uPlot.Options {
  const axis = {
    stroke: colour("faint"),
    grid: { stroke: colour("rule"), width: 1 },
    ticks: { show: false },
    font: '13px "Source Sans 3 Variable", sans-serif',
  };
  const units = unitsOf(courses);
  const scale = (unit: string) => `y ${unit}`;
  const turns = (unit: string) =>
    courses.some(({ entity }) => entity.unit === unit && entity.drawn === "needle");
  const alone = courses.length === 1;
  return {
    width,
    height: HEIGHT,
    tzDate: (seconds) =>
      hubTime.zone
        ? uPlot.tzDate(new Date(seconds * 1000), hubTime.zone)
        : new Date(seconds * 1000),
    cursor: { y: false, points: { size: 7 }, drag: { x: true, y: false, setScale: false } },
    legend: { show: true, live: true },
    scales: Object.fromEntries(
      units.map((unit, place) => [
        scale(unit),
        {
          range: (_: uPlot, low: number | null, high: number | null) => {
            if (turns(unit)) return [0, 360] as [number, number];
            const wanted =
              place > 0
                ? []
                : [
                    ...drawn.current.limits.flatMap((l) =>
                      [l.limit, l.until, l.high].filter((one) => one !== null),
                    ),
                    ...(drawn.current.over === null ? [] : [drawn.current.over]),
                  ];
            const [min, max] = [Math.min(low ?? 0, ...wanted), Math.max(high ?? 1, ...wanted)];
            const room = (max - min || 1) * 0.08;
            return [min - room, max + room] as [number, number];
          },
        },
      ]),
    ),
    axes: [
      {
        ...axis,
        values: [
          // How times are written for each distance between ticks, with 24 hours a day.
          [86_400 * 28, "{MMM}", "\n{YYYY}", null, null, null, null, null, 1],
          [86_400, "{D} {MMM}", null, null, null, null, null, null, 1],
          [60, "{HH}:{mm}", "\n{D} {MMM}", null, "\n{D} {MMM}", null, null, null, 1],
          [1, ":{ss}", "\n{D} {MMM} {HH}:{mm}", null, null, null, "\n{HH}:{mm}", null, 1],
        ],
      },
      ...units.map((unit, place) => ({
        ...axis,
        scale: scale(unit),
        side: place === 0 ? 3 : 1,
        grid: place === 0 ? axis.grid : { show: false },
        size: 64,
        ...(turns(unit) && { splits: () => Object.keys(POINTS).map(Number) }),
        values: (_: uPlot, ticks: number[]) =>
          ticks.map((tick) => {
            if (turns(unit)) return POINTS[tick] ?? "";
            return unit === "s" && Math.abs(tick) >= 60
              ? length(tick * 1000)
              : `${Number(tick.toFixed(4))}`;
          }),
      })),
    ],
    series: [
      {
        label: "at",
        value: (_, at) => (at === null ? "–" : `${day(at * 1000)} ${clock(at * 1000)}`),
      },
      ...courses.flatMap((course, place) => {
        const { history, entity } = course;
        const of = isCalm(history, entity) ? " of a day" : "";
        const name = (what: string) => (alone ? `${what}${of}` : `${nameOf(course)}, ${what}${of}`);
        const value = (_: uPlot, v: number) => shown(v, entity);
        const edge = {
          scale: scale(entity.unit),
          stroke: "transparent",
          value,
          points: { show: false },
        };
        return [
          {
            label: name("mean"),
            scale: scale(entity.unit),
            stroke: colour(COLOURS[place % COLOURS.length] ?? "act"),
            dash: DASHES[Math.floor(place / COLOURS.length)],
            width: 1.75,
            value,
            // From 350° to 10° a line would go the long way round.
            ...(entity.drawn === "needle" && {
              paths: () => null,
              points: { show: true, size: 4, space: 0 },
            }),
          },
          { ...edge, label: name(entity.drawn === "needle" ? "from" : "lowest") },
          { ...edge, label: name(entity.drawn === "needle" ? "to" : "highest") },
        ];
      }),
    ],
    bands: courses.flatMap(({ entity }, place) =>
      entity.drawn === "needle"
        ? []
        : {
            series: [3 * place + 3, 3 * place + 2],
            fill: `${colour(COLOURS[place % COLOURS.length] ?? "act")}${alone ? "2e" : "18"}`,
          },
    ),
    hooks: {
      draw: [
        (plot) => {
          drawLimits(plot, scale(units[0] ?? ""), drawn.current.limits);
          drawMarks(plot, drawn.current.marks);
          drawDoubts(plot, drawn.current.doubts);
        },
      ],
      // A stretch was chosen with the mouse.
      setSelect: [
        (plot) => {
          const { left, width: chosen } = plot.select;
          if (chosen < LEAST_PX) return;
          const at = (x: number) => Math.round(plot.posToVal(x, "x") * 1000);
          plot.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
          onSpan(at(left), at(left + chosen));
        },
      ],
      // Before one points at a time, dashes would say that its numbers are missing.
      setCursor: [(plot) => void plot.root.classList.toggle("pointed", plot.cursor.idx != null)],
    },
  };
}

function drawLimits(plot: uPlot, scale: string, limits: Limits) {
  const { ctx, bbox } = plot;
  ctx.save();
  ctx.strokeStyle = colour("amber");
  ctx.fillStyle = colour("amber");
  ctx.font = `${12 * devicePixelRatio}px "Source Sans 3 Variable", sans-serif`;
  ctx.textAlign = "left";
  ctx.textBaseline = "alphabetic";
  ctx.setLineDash([5 * devicePixelRatio, 4 * devicePixelRatio]);
  for (const watcher of limits) {
    for (const [value, word] of [
      [watcher.limit, watcher.name],
      [watcher.high, watcher.name],
      [watcher.until, "until"],
    ] as const) {
      if (value === null) continue;
      const y = Math.round(plot.valToPos(value, scale, true));
      ctx.beginPath();
      ctx.moveTo(bbox.left, y);
      ctx.lineTo(bbox.left + bbox.width, y);
      ctx.stroke();
      ctx.fillText(word, bbox.left + 6 * devicePixelRatio, y - 4 * devicePixelRatio);
    }
  }
  ctx.restore();
}

/** Starts point up, ends point down, both at the foot. */
function drawMarks(plot: uPlot, marks: ChartMark[]) {
  const { ctx, bbox } = plot;
  const size = 5 * devicePixelRatio;
  ctx.save();
  for (const mark of marks) {
    const x = plot.valToPos(mark.at / 1000, "x", true);
    if (x < bbox.left || x > bbox.left + bbox.width) continue;
    const foot = bbox.top + bbox.height;
    const [base, tip] = mark.start ? [foot, foot - 2 * size] : [foot - 2 * size, foot];
    ctx.fillStyle = colour(mark.start ? "act" : "faint");
    ctx.beginPath();
    ctx.moveTo(x - size, base);
    ctx.lineTo(x + size, base);
    ctx.lineTo(x, tip);
    ctx.fill();
  }
  ctx.restore();
}

/** Ticks at the head: short ones for uncertain readings, long ones for bad ones. */
function drawDoubts(plot: uPlot, doubts: Doubt[]) {
  const { ctx, bbox } = plot;
  ctx.save();
  ctx.lineWidth = Math.max(1, devicePixelRatio);
  for (const one of doubts) {
    const x = plot.valToPos(one.at / 1000, "x", true);
    if (x < bbox.left || x > bbox.left + bbox.width) continue;
    ctx.strokeStyle = colour(one.bad ? "madder" : "amber");
    ctx.beginPath();
    ctx.moveTo(x, bbox.top);
    ctx.lineTo(x, bbox.top + (one.bad ? 14 : 7) * devicePixelRatio);
    ctx.stroke();
  }
  ctx.restore();
}
