// A tally as bars: this day beside the days before, or hours, weeks, months, years.
import { useQuery } from "@tanstack/react-query";
import { addressParts, api, ask, type EntityDetail } from "../../api/client";
import { shown } from "../../api/readings";
import { Await } from "../../ui/parts";
import { short } from "../../ui/time";
import { Numbers } from "./Numbers";
import { compared, PER, type Per, startOf } from "./tallies";

export function Tally({ entity, per }: { entity: EntityDetail; per: Per }) {
  const at = entity.at ?? 0;
  const rows = useQuery({
    queryKey: ["tally", entity.entity, entity.value, Math.floor(at / 300_000)],
    queryFn: () =>
      ask(
        api.GET("/api/entities/{node}/{name}/rows", {
          params: {
            path: addressParts(entity.entity),
            query: { start: startOf(at, per), end: at + 1, rows: `${per}s` },
          },
        }),
      ),
    enabled: at > 0,
    placeholderData: (before) => before,
  });
  return (
    <Await of={rows} lines={4}>
      {(all) => {
        const some = all.slice(-PER[per].count);
        const most = Math.max(...some.map((row) => row.high ?? 0)) || 1;
        const name = (row: { start: number }) => short(row.start, per);
        return (
          <section aria-label="Tally" className="mb-8">
            <Numbers
              rows={compared(some, per).map(({ word, value }) => [word, shown(value, entity)])}
            />
            <ol
              aria-label={`By ${per}`}
              className="mt-4 flex h-40 items-stretch gap-1 border-rule border-b"
            >
              {some.map((row, place) => (
                <li
                  key={row.start}
                  title={`${name(row)}: ${shown(row.high, entity)}`}
                  className="flex min-w-0 flex-1 flex-col justify-end"
                >
                  <span className="sr-only">
                    {name(row)}: {shown(row.high, entity)}
                  </span>
                  <span
                    aria-hidden
                    className="truncate text-center text-faint text-xs max-sm:hidden"
                  >
                    {row.high === null ? "–" : shown(row.high, entity)}
                  </span>
                  <span
                    aria-hidden
                    className={`min-h-px forced-colors:bg-[LinkText] ${place === some.length - 1 ? "bg-act" : "bg-act/40"}`}
                    style={{ height: `${(75 * (row.high ?? 0)) / most}%` }}
                  />
                </li>
              ))}
            </ol>
            <div aria-hidden className="flex gap-1 text-center text-faint text-xs">
              {some.map((row, place) => (
                <span
                  key={row.start}
                  className={`min-w-0 flex-1 ${(some.length - 1 - place) % 2 ? "max-sm:invisible" : ""}`}
                >
                  {name(row)}
                </span>
              ))}
            </div>
          </section>
        );
      }}
    </Await>
  );
}
