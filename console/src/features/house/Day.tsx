// The day: a ribbon of 24 hours with what automations did and what else happened.
import { useMemo } from "react";
import { Link } from "react-router";
import type { Automation } from "../../api/client";
import { useToday } from "../../api/queries";
import { Await } from "../../ui/parts";
import { clock, hourOf, useNow } from "../../ui/time";
import { visible } from "../../ui/visible";
import { dots, stretches } from "./day";

const HOUR = 3_600_000;

export function Day({ zone, automations }: { zone: string; automations: Automation[] }) {
  const now = useNow(30_000);
  const midnight = useMemo(
    () => Math.round((now - hourOf(now, zone) * HOUR) / 60_000) * 60_000,
    [now, zone],
  );
  const today = useToday(midnight);
  const place = (at: number) =>
    `${Math.min(100, Math.max(0, ((at - midnight) / (24 * HOUR)) * 100))}%`;
  const names = new Map(automations.map((a) => [a.automation, a.name]));
  return (
    <section aria-labelledby="day" className="mt-10">
      <h2 id="day" className="mb-2 text-xl">
        The day
      </h2>
      <Await of={today} lines={2}>
        {({ entries }) => {
          const bars = stretches(entries, midnight, now);
          const rows = [...new Set(bars.map((bar) => bar.automation))];
          return (
            <>
              <div className="relative">
                <div className="rule relative h-6 border-b">
                  {[0, 3, 6, 9, 12, 15, 18, 21].map((hour) => (
                    <span
                      key={hour}
                      className="rule absolute bottom-0 border-l pl-1 text-faint text-xs"
                      style={{ left: `${(hour / 24) * 100}%` }}
                    >
                      {String(hour).padStart(2, "0")}
                    </span>
                  ))}
                </div>
                <ul aria-label="Automations today">
                  {rows.map((row) => (
                    <li key={row} className="relative h-7">
                      {bars
                        .filter((bar) => bar.automation === row)
                        .map((bar) => (
                          <span
                            key={bar.from}
                            title={`${clock(bar.from)} to ${clock(bar.to)}: ${visible(bar.text)}`}
                            className="absolute top-1 h-5 min-w-1 bg-act/35 forced-colors:border"
                            style={{
                              left: place(bar.from),
                              width: `calc(${place(bar.to)} - ${place(bar.from)})`,
                            }}
                          />
                        ))}
                      <Link
                        to={`/automations/${row}`}
                        className="absolute left-1 text-act text-sm hover:underline"
                      >
                        {names.get(row) ?? row}
                      </Link>
                    </li>
                  ))}
                </ul>
                <div className="relative h-5">
                  {dots(entries).map((dot) => (
                    <Link
                      key={dot.id}
                      to="/journal"
                      title={`${clock(dot.at)}: ${visible(dot.text)}`}
                      aria-label={`${clock(dot.at)}: ${visible(dot.text)}`}
                      className={`absolute top-1.5 size-2.5 -translate-x-1/2 ${dot.grave ? "rotate-45 bg-madder" : "rounded-full bg-faint"}`}
                      style={{ left: place(dot.at) }}
                    />
                  ))}
                </div>
                <span
                  aria-hidden
                  className="absolute inset-y-0 border-act border-l-2"
                  style={{ left: place(now) }}
                />
              </div>
              {rows.length === 0 && (
                <p className="text-faint text-sm">No automation has acted today.</p>
              )}
            </>
          );
        }}
      </Await>
    </section>
  );
}
