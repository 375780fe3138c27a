// One step while it is written: its numbers, typed or dragged, and its place.
import { ArrowDown, ArrowUp, X } from "lucide-react";
import { useId } from "react";
import type { EntityDetail } from "../../api/client";
import type { Step, StepSort } from "./steps";

export function OneStep({
  step,
  sort,
  entity,
  first,
  last,
  onStep,
  onMove,
  onRemove,
}: {
  step: Step;
  sort: StepSort;
  entity: EntityDetail;
  first: boolean;
  last: boolean;
  onStep: (to: Step) => void;
  onMove: (by: -1 | 1) => void;
  onRemove: () => void;
}) {
  const id = useId();
  const tool =
    "inline-flex size-8 items-center justify-center text-act disabled:opacity-40 pointer-coarse:size-11";
  return (
    <li className="rule border-b pb-3">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <span className="font-medium">{sort.step}</span>
        <span className="min-w-0 flex-1 basis-40 text-faint text-sm">{sort.about}</span>
        <span className="flex">
          <button
            type="button"
            aria-label={`Move ${sort.step} up`}
            disabled={first}
            onClick={() => onMove(-1)}
            className={tool}
          >
            <ArrowUp aria-hidden className="size-4" />
          </button>
          <button
            type="button"
            aria-label={`Move ${sort.step} down`}
            disabled={last}
            onClick={() => onMove(1)}
            className={tool}
          >
            <ArrowDown aria-hidden className="size-4" />
          </button>
          <button
            type="button"
            aria-label={`Remove ${sort.step}`}
            onClick={onRemove}
            className={tool}
          >
            <X aria-hidden className="size-4" />
          </button>
        </span>
      </div>
      <div className="mt-2 flex flex-wrap gap-x-6 gap-y-3">
        {sort.parameters.map((one) => {
          const value = step[one.name] ?? "";
          const set = (to: string | number) => onStep({ ...step, [one.name]: to });
          const range = one.time || one.text ? null : rangeOf(one.name, entity);
          return (
            <div key={one.name} className="min-w-0">
              <label htmlFor={`${id} ${one.name}`} className="block text-sm">
                {one.name} <span className="text-faint">({one.about})</span>
              </label>
              <div className="flex flex-wrap items-center gap-2">
                <input
                  id={`${id} ${one.name}`}
                  value={value}
                  inputMode={one.time || one.text ? "text" : "decimal"}
                  onChange={(event) => set(event.target.value)}
                  className={one.text ? "field w-80 max-w-full font-mono" : "field w-28"}
                />
                {one.time && (
                  <input
                    type="range"
                    className="accent-act"
                    aria-label={`${one.name} of ${sort.step}`}
                    aria-valuetext={String(value)}
                    min={0}
                    max={TIMES.length - 1}
                    value={placeOf(String(value))}
                    onChange={(event) => set(TIMES[Number(event.target.value)] ?? value)}
                  />
                )}
                {range && (
                  <input
                    type="range"
                    className="accent-act"
                    aria-label={`${one.name} of ${sort.step}`}
                    {...range}
                    value={Number(value) || 0}
                    onChange={(event) => set(Number(event.target.value))}
                  />
                )}
              </div>
            </div>
          );
        })}
      </div>
    </li>
  );
}

const TIMES = [
  "5 s",
  "10 s",
  "30 s",
  "1 min",
  "2 min",
  "5 min",
  "10 min",
  "15 min",
  "30 min",
  "1 h",
  "2 h",
  "6 h",
];

function placeOf(time: string): number {
  const found = TIMES.indexOf(time);
  return found >= 0 ? found : 4;
}

/** How far a number is dragged: what is usual for it; more can be typed. */
function rangeOf(name: string, entity: EntityDetail) {
  const step = 10 ** -Math.max(1, entity.decimals);
  const spread = Math.min(entity.high - entity.low, 100);
  if (name === "gain") return { min: 0.5, max: 1.5, step: 0.01 };
  if (name === "times") return { min: 1, max: 10, step: 0.5 };
  if (name === "floor") return { min: 0, max: spread / 20, step };
  if (name === "offset") return { min: -spread / 10, max: spread / 10, step };
  return { min: entity.low, max: entity.high, step };
}
