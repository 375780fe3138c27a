// The choice of the span that a chart shows, and the ways along it.
import { ChevronLeft, ChevronRight, ZoomIn, ZoomOut } from "lucide-react";
import type { ReactNode } from "react";
import { exact, hubNow } from "../ui/time";
import { panned, SPANS, SPANS_MS, type Window, zoomed } from "./window";

export function Spans({ window, onWindow }: { window: Window; onWindow: (to: Window) => void }) {
  const now = hubNow();
  const middle = (window.start + window.end) / 2;
  return (
    <div className="flex min-w-0 flex-wrap items-center gap-x-4 gap-y-1">
      <fieldset aria-label="Span" className="flex min-w-0 flex-wrap gap-x-4">
        {SPANS.map((span) => (
          <button
            key={span}
            type="button"
            aria-pressed={window.span === span}
            onClick={() => onWindow({ span, start: now - SPANS_MS[span], end: now })}
            className="border-transparent border-b-2 text-act pointer-coarse:min-h-11 aria-pressed:border-act aria-pressed:text-ink"
          >
            {span}
          </button>
        ))}
      </fieldset>
      <fieldset aria-label="Along the time" className="flex min-w-0 flex-wrap">
        <Step name="Earlier" onClick={() => onWindow(panned(window, -0.5, now))}>
          <ChevronLeft aria-hidden className="size-5" />
        </Step>
        <Step
          name="Later"
          disabled={window.span !== null || window.end >= now - 1000}
          onClick={() => onWindow(panned(window, 0.5, now))}
        >
          <ChevronRight aria-hidden className="size-5" />
        </Step>
        <Step name="Closer" onClick={() => onWindow(zoomed(window, 0.5, middle, now))}>
          <ZoomIn aria-hidden className="size-5" />
        </Step>
        <Step name="Further" onClick={() => onWindow(zoomed(window, 2, middle, now))}>
          <ZoomOut aria-hidden className="size-5" />
        </Step>
      </fieldset>
      {!window.span && (
        <span className="text-faint text-sm">
          {exact(window.start)} to {exact(window.end)}
        </span>
      )}
    </div>
  );
}

function Step({
  name,
  disabled = false,
  onClick,
  children,
}: {
  name: string;
  disabled?: boolean;
  onClick: () => void;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      aria-label={name}
      title={name}
      disabled={disabled}
      onClick={onClick}
      className="inline-flex size-8 items-center justify-center text-act disabled:opacity-40 pointer-coarse:size-11"
    >
      {children}
    </button>
  );
}
