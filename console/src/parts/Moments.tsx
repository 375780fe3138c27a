// What happened over time: a mark for each, and the moments in words.
import type { Entity, Schemas } from "../api/client";
import { shown } from "../api/readings";
import { exact } from "../ui/time";
import { visible } from "../ui/visible";

const TOLD = 40;

export function Moments({
  entity,
  start,
  end,
  readings,
  more,
}: {
  entity: Entity;
  start: number;
  end: number;
  readings: Schemas["Reading"][];
  more: boolean;
}) {
  const kinds = [...new Set(readings.map((one) => shown(one.value, entity)))];
  const place = (at: number) => `${((at - start) / (end - start)) * 100}%`;
  return (
    <div className="rule border-y py-4">
      <ul className="space-y-1">
        {kinds.slice(0, 8).map((word) => {
          const all = readings.filter((one) => shown(one.value, entity) === word);
          return (
            <li key={word} className="grid grid-cols-[7rem_1fr] items-center gap-3">
              <span className="truncate text-sm">
                {visible(word)} <span className="text-faint">×{all.length}</span>
              </span>
              <span className="relative h-6 border-rule border-b">
                {all.map((one) => (
                  <span
                    key={one.at}
                    title={`${visible(word)}, ${exact(one.at)}`}
                    className="absolute inset-y-1 w-0.5 bg-act"
                    style={{ left: place(one.at) }}
                  />
                ))}
              </span>
            </li>
          );
        })}
      </ul>
      <ol className="mt-3 text-sm">
        {[...readings]
          .reverse()
          .slice(0, TOLD)
          .map((one) => (
            <li key={one.at}>
              {exact(one.at)}: {visible(shown(one.value, entity))}
            </li>
          ))}
      </ol>
      {(more || readings.length > TOLD) && (
        <p className="mt-1 text-faint text-sm">There are more; choose a shorter time.</p>
      )}
    </div>
  );
}
