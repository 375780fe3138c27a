// Some of many, ticked.
import type { ReactNode } from "react";

export function Ticks<T>({
  of,
  id,
  label,
  ticked,
  onTicked,
}: {
  of: T[];
  id: (one: T) => string;
  label: (one: T) => ReactNode;
  ticked: string[];
  onTicked: (ticked: string[]) => void;
}) {
  return (
    <ul className="grid gap-x-6 gap-y-1 sm:grid-cols-2">
      {of.map((one) => (
        <li key={id(one)}>
          <label className="flex min-h-9 items-center gap-2">
            <input
              type="checkbox"
              checked={ticked.includes(id(one))}
              onChange={(event) =>
                onTicked(
                  event.target.checked
                    ? [...ticked, id(one)]
                    : ticked.filter((other) => other !== id(one)),
                )
              }
            />
            <span className="min-w-0 break-words">{label(one)}</span>
          </label>
        </li>
      ))}
    </ul>
  );
}
