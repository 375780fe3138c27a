// Zooming and panning a chart with wheel and fingers. What moves is told at once; when it
// comes to rest is told once.
import type uPlot from "uplot";
import { hubNow } from "../ui/time";
import { panned, type Window, zoomed } from "./window";

const REST_MS = 250;
const WHEEL = 0.0015;

/** Follow wheel and fingers over a plot; returns the way to end it. */
export function followGestures(
  plot: uPlot,
  current: () => Window,
  onWindow: (to: Window) => void,
): () => void {
  const over = plot.over;
  const fingers = new Map<number, number>();
  let moved: Window | null = null;
  let rest = 0;

  const now = () => moved ?? current();
  const width = () => over.clientWidth || 1;
  const timeAt = (x: number) => {
    const { start, end } = now();
    return start + ((end - start) * (x - over.getBoundingClientRect().left)) / width();
  };

  function move(to: Window) {
    moved = to;
    plot.setScale("x", { min: to.start / 1000, max: to.end / 1000 });
    window.clearTimeout(rest);
    rest = window.setTimeout(settle, REST_MS);
  }

  function settle() {
    window.clearTimeout(rest);
    if (moved) onWindow(moved);
    moved = null;
  }

  function onWheel(event: WheelEvent) {
    // The wheel scrolls the page, until one has clicked into the chart or holds Ctrl (as
    // browsers tell a pad's pinch). Sideways there is nothing else that it could mean.
    const sideways = Math.abs(event.deltaX) > Math.abs(event.deltaY) || event.shiftKey;
    const chosen = plot.root.parentElement === document.activeElement;
    if (!sideways && !chosen && !event.ctrlKey && !event.metaKey) return;
    event.preventDefault();
    const by = event.deltaX || event.deltaY;
    if (sideways) move(panned(now(), by / width(), hubNow()));
    else move(zoomed(now(), Math.exp(event.deltaY * WHEEL), timeAt(event.clientX), hubNow()));
  }

  function onDown(event: PointerEvent) {
    if (event.pointerType === "mouse") return;
    fingers.set(event.pointerId, event.clientX);
  }

  function onMove(event: PointerEvent) {
    const before = fingers.get(event.pointerId);
    if (before === undefined) return;
    const others = [...fingers].filter(([id]) => id !== event.pointerId).map(([, x]) => x);
    const other = others[0];
    fingers.set(event.pointerId, event.clientX);
    if (other === undefined) {
      move(panned(now(), (before - event.clientX) / width(), hubNow()));
      return;
    }
    const [was, is] = [Math.abs(before - other), Math.abs(event.clientX - other)];
    if (was > 10 && is > 10) move(zoomed(now(), was / is, timeAt(other), hubNow()));
  }

  function onUp(event: PointerEvent) {
    fingers.delete(event.pointerId);
    if (fingers.size === 0) settle();
  }

  over.style.touchAction = "pan-y";
  over.addEventListener("wheel", onWheel, { passive: false });
  over.addEventListener("pointerdown", onDown);
  window.addEventListener("pointermove", onMove);
  window.addEventListener("pointerup", onUp);
  window.addEventListener("pointercancel", onUp);
  return () => {
    window.clearTimeout(rest);
    window.removeEventListener("pointermove", onMove);
    window.removeEventListener("pointerup", onUp);
    window.removeEventListener("pointercancel", onUp);
  };
}
