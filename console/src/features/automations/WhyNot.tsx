// Why an automation is on, or is not: what each part of it said, now or at a moment of the
// past.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Check, X } from "lucide-react";
import { useEffect, useState } from "react";
import { api, ask, type Schemas } from "../../api/client";
import { Await, Labelled } from "../../ui/parts";
import { clock, houseMs, isoDay, length, useNow } from "../../ui/time";
import { visible } from "../../ui/visible";
import { DayLine } from "./DayLine";

const EVERY_MS = 10_000;

const PAUSE_MS = 150;

export function WhyNot({ automation, text }: { automation: string; text: string }) {
  const [when, setWhen] = useState("");
  // Where the line of the day is held; the account follows a moment later.
  const [held, setHeld] = useState<number | null>(null);
  useEffect(() => {
    if (held === null) return;
    const timer = window.setTimeout(() => setWhen(`${isoDay(held)} ${clock(held)}`), PAUSE_MS);
    return () => window.clearTimeout(timer);
  }, [held]);
  const now = Math.floor(useNow(EVERY_MS) / EVERY_MS) * EVERY_MS;
  const chosen = when ? houseMs(when) : null;
  const at = chosen ?? now;
  const found = useQuery({
    queryKey: ["why", automation, at],
    queryFn: () =>
      ask(
        api.GET("/api/automations/{automation}/why", {
          params: { path: { automation }, query: chosen === null ? {} : { at } },
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
  return (
    <>
      <DayLine text={text} now={now} at={held ?? at} onAt={setHeld} />
      <Await of={found} lines={3}>
        {(data) => (
          <>
            <p className="mb-2 font-medium">{visible(data.sentence)}</p>
            <ul className="space-y-1">
              {data.lines.map((line) => (
                <li key={line.text} className="flex gap-2">
                  <Sign holds={line.holds} />
                  <span className={line.holds === null ? "text-faint" : ""}>
                    {visible(line.text)}
                  </span>
                </li>
              ))}
            </ul>
            {data.edge && <Done edge={data.edge} done={data.done} />}
          </>
        )}
      </Await>
      <div className="mt-3 max-w-xs">
        <Labelled label="At another moment" hint="By the house’s clock; empty for now.">
          <input
            placeholder={`${isoDay(now)} 02:10`}
            aria-invalid={when !== "" && chosen === null}
            value={when}
            onChange={(event) => {
              setHeld(null);
              setWhen(event.target.value);
            }}
            className="field"
          />
        </Labelled>
      </div>
    </>
  );
}

/** What was done about the last start or end, and what came of it. */
function Done({ edge, done }: { edge: string; done: Schemas["AccountDone"][] }) {
  return (
    <section className="mt-3">
      <h3 className="mb-1 font-medium">{visible(edge)}</h3>
      {done.length === 0 && <p className="text-faint">Nothing was done about it.</p>}
      <ul className="space-y-1">
        {done.map((one) => (
          <li key={`${one.at} ${one.text}`} className="flex gap-2">
            <Sign holds={one.done} />
            <span>
              {visible(one.text)} <span className="text-faint">after {took(one.took_ms)}</span>
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

const took = (ms: number) => (ms < 60_000 ? `${(ms / 1000).toFixed(1)} s` : length(ms));

function Sign({ holds }: { holds: boolean | null }) {
  if (holds === null) return <span className="w-5 shrink-0" />;
  const [Drawn, word, tone] = holds
    ? ([Check, "yes:", "text-act"] as const)
    : ([X, "no:", "text-madder"] as const);
  return (
    <span className={`w-5 shrink-0 pt-1 ${tone}`}>
      <Drawn aria-hidden className="size-4" />
      <span className="sr-only">{word}</span>
    </span>
  );
}
