// The chart: the mean as a line, lowest and highest as a band, the limits of
// automations as fine lines.
import { useEffect, useRef } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import type { EntityDetail, History } from "../api/client";
import { shown } from "../api/readings";
import { clock, day } from "../ui/time";
import { columns, isCalm } from "./numbers";

const HEIGHT = 340;

function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();
}

export function Chart({
  history,
  entity,
  zone,
}: {
  history: History;
  entity: EntityDetail;
  zone?: string;
}) {
  const box = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const limits = useRef(entity.watchers);
  limits.current = entity.watchers;
  const latest = useRef(history);
  latest.current = history;

  const calm = isCalm(history, entity);

  // Made anew when what it is made of changes; new data alone is put into the one that
  // is there.
  // biome-ignore lint/correctness/useExhaustiveDependencies: readings change the entity every few seconds, its identity does not
  useEffect(() => {
    const target = box.current;
    if (!target) return;
    const make = () => {
      plot.current?.destroy();
      plot.current = new uPlot(
        options(target.clientWidth, entity, zone, limits, calm),
        columns(latest.current, calm),
        target,
      );
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
  }, [entity.entity, zone, calm]);

  useEffect(() => {
    plot.current?.setData(columns(history, calm));
    plot.current?.setScale("x", { min: history.start / 1000, max: history.end / 1000 });
  }, [history, calm]);

  const lowest = Math.min(...history.low);
  const highest = Math.max(...history.high);
  return (
    <div
      ref={box}
      role="img"
      aria-label={`Chart from ${day(history.start, zone)} ${clock(history.start, zone)}: between ${shown(lowest, entity)} and ${shown(highest, entity)}`}
      className="rule min-h-[340px] border-y py-2"
    />
  );
}

function options(
  width: number,
  entity: EntityDetail,
  zone: string | undefined,
  limits: { current: EntityDetail["watchers"] },
  calm: boolean,
): uPlot.Options {
  const act = colour("act");
  const axis = {
    stroke: colour("faint"),
    grid: { stroke: colour("rule"), width: 1 },
    ticks: { show: false },
  };
  const font = '13px "Source Sans 3 Variable", sans-serif';
  const binary = entity.words !== null;
  return {
    width,
    height: HEIGHT,
    tzDate: (seconds) =>
      zone ? uPlot.tzDate(new Date(seconds * 1000), zone) : new Date(seconds * 1000),
    cursor: { y: false, points: { size: 7 } },
    legend: { show: true, live: true },
    scales: {
      y: {
        range: (_, low, high) => {
          if (binary) return [-0.1, 1.1];
          const wanted = limits.current.flatMap((l) =>
            l.until === null ? [l.limit] : [l.limit, l.until],
          );
          const [min, max] = [Math.min(low, ...wanted), Math.max(high, ...wanted)];
          const room = (max - min || 1) * 0.08;
          return [min - room, max + room];
        },
      },
    },
    axes: [
      {
        ...axis,
        font,
        values: [
          // How times are written for each distance between ticks, with 24 hours a day.
          [86_400 * 28, "{MMM}", "\n{YYYY}", null, null, null, null, null, 1],
          [86_400, "{D} {MMM}", null, null, null, null, null, null, 1],
          [60, "{HH}:{mm}", "\n{D} {MMM}", null, "\n{D} {MMM}", null, null, null, 1],
          [1, ":{ss}", "\n{D} {MMM} {HH}:{mm}", null, null, null, "\n{HH}:{mm}", null, 1],
        ],
      },
      {
        ...axis,
        font,
        size: 64,
        values: (_, ticks) =>
          ticks.map((tick) =>
            binary
              ? tick === 0 || tick === 1
                ? (entity.words?.[tick] ?? "")
                : ""
              : `${Number(tick.toFixed(4))}`,
          ),
        splits: binary ? () => [0, 1] : undefined,
      },
    ],
    series: [
      {
        label: "at",
        value: (_, at) => (at === null ? "–" : `${day(at * 1000, zone)} ${clock(at * 1000, zone)}`),
      },
      {
        label: calm ? "mean of a day" : "mean",
        stroke: act,
        width: 1.75,
        paths: binary ? uPlot.paths.stepped?.({ align: 1 }) : undefined,
        value: (_, v) => shown(v, entity),
      },
      {
        label: calm ? "lowest of a day" : "lowest",
        stroke: "transparent",
        value: (_, v) => shown(v, entity),
        points: { show: false },
      },
      {
        label: calm ? "highest of a day" : "highest",
        stroke: "transparent",
        value: (_, v) => shown(v, entity),
        points: { show: false },
      },
    ],
    bands: [{ series: [3, 2], fill: `${act}2e` }],
    hooks: { draw: [(plot) => drawLimits(plot, limits.current)] },
  };
}

function drawLimits(plot: uPlot, limits: EntityDetail["watchers"]) {
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
      [watcher.until, "until"],
    ] as const) {
      if (value === null) continue;
      const y = Math.round(plot.valToPos(value, "y", true));
      ctx.beginPath();
      ctx.moveTo(bbox.left, y);
      ctx.lineTo(bbox.left + bbox.width, y);
      ctx.stroke();
      ctx.fillText(word, bbox.left + 6 * devicePixelRatio, y - 4 * devicePixelRatio);
    }
  }
  ctx.restore();
}
