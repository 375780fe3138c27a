// The last day of several values in one chart, on a tile.
import { useMemo, useState } from "react";
import type { Entity } from "../../api/client";
import { useCourses } from "../../api/courses";
import { hubNow } from "../../ui/time";
import { visible } from "../../ui/visible";
import { Chart } from "../Chart";
import { toneOf } from "../plot";
import { asked, SPANS_MS, type Window } from "../window";

const day = (): Window => ({ span: "day", start: hubNow() - SPANS_MS.day, end: hubNow() });

export function Comparison({ entities }: { entities: Entity[] }) {
  const [window, setWindow] = useState(day);
  const addresses = entities.map((one) => one.entity);
  const found = useCourses(addresses, asked(window));
  const names = addresses.join(" ");
  // Readings change the entities every few seconds, their names do not.
  // biome-ignore lint/correctness/useExhaustiveDependencies: see above
  const courses = useMemo(
    () =>
      entities.flatMap((entity, n) => {
        const history = found.data?.[n];
        return history ? [{ entity, history }] : [];
      }),
    [names, found.data],
  );
  return (
    <>
      <ul className="mb-2 flex flex-wrap gap-x-4 text-sm">
        {entities.map((one, place) => (
          <li key={one.entity} className="flex items-center gap-2">
            <span
              aria-hidden
              className="h-0.5 w-4 forced-colors:bg-[LinkText]"
              style={{ background: toneOf(place) }}
            />
            {visible(one.spoken)}
          </li>
        ))}
      </ul>
      {courses.length > 0 && (
        <Chart
          courses={courses}
          window={window}
          onWindow={setWindow}
          onReset={() => setWindow(day())}
        />
      )}
    </>
  );
}
