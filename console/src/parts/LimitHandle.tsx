// A limit over a chart that can be dragged up and down, or moved with the arrow keys.
import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import type uPlot from "uplot";
import { shown } from "../api/readings";
import type { Course } from "./plot";

const TOLD_EVERY_MS = 200;

export function LimitHandle({
  plot,
  entity,
  value,
  onValue,
  live = false,
}: {
  plot: uPlot;
  entity: Course["entity"];
  value: number;
  onValue: (value: number) => void;
  /** Whether it is told while it is dragged, too. */
  live?: boolean;
}) {
  const [dragged, setDragged] = useState<number | null>(null);
  // What a quick hand lets go of must be what it moved to last, drawn already or not.
  const last = useRef<number | null>(null);
  const told = useRef(0);
  const [, redraw] = useState(0);
  const scale = `y ${entity.unit}`;
  const step = 10 ** -entity.decimals;
  const now = dragged ?? value;

  // Where the line is depends on the plot's scale, which follows its data.
  useEffect(() => {
    const follow = () => redraw((n) => n + 1);
    const hooks = plot.hooks.draw ?? [];
    plot.hooks.draw = hooks;
    hooks.push(follow);
    return () => {
      hooks.splice(hooks.indexOf(follow), 1);
    };
  }, [plot]);

  const top = plot.over.offsetTop + plot.root.offsetTop + plot.valToPos(now, scale);
  const rounded = (to: number) => Number((Math.round(to / step) * step).toFixed(entity.decimals));

  function onMove(event: PointerEvent<HTMLDivElement>) {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const y = event.clientY - plot.over.getBoundingClientRect().top;
    const within = Math.min(Math.max(0, y), plot.over.clientHeight);
    last.current = rounded(plot.posToVal(within, scale));
    setDragged(last.current);
    if (live && event.timeStamp - told.current > TOLD_EVERY_MS) {
      told.current = event.timeStamp;
      onValue(last.current);
    }
  }

  function onUp() {
    if (last.current !== null) onValue(last.current);
    last.current = null;
    setDragged(null);
  }

  function onKey(event: KeyboardEvent) {
    const by = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
    if (!by) return;
    event.preventDefault();
    onValue(rounded(value + by * step));
  }

  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label="Limit"
      aria-orientation="vertical"
      aria-valuenow={now}
      aria-valuetext={shown(now, entity)}
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={onMove}
      onPointerUp={onUp}
      onKeyDown={onKey}
      className="absolute right-0 left-16 h-6 -translate-y-1/2 cursor-ns-resize touch-none"
      style={{ top }}
    >
      <span aria-hidden className="absolute inset-x-0 top-1/2 border-madder border-t-2" />
      <span className="absolute right-1 bottom-full bg-paper px-1 text-madder text-sm">
        {shown(now, entity)}
      </span>
    </div>
  );
}
