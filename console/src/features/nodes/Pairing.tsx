// The pairing window: open it, see what is left of it, and who asks to join.
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import * as changes from "../../api/changes";
import type { Arrival } from "../../api/client";
import { keys, useArrivals, usePairing } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { linkTitle } from "../../ui/links";
import { Ago, Await, Button, Failure, Mark } from "../../ui/parts";
import { hubTime, useNow } from "../../ui/time";
import { visible } from "../../ui/visible";
import { Admit, Also } from "./Admit";

// What a person does to let a node in, by its link.
const HOW: Record<string, string> = {
  wifi: "switch the node on; it asks to join by itself",
  zigbee: "hold the node’s button until it blinks",
  bluetooth: "carry the node near the hub; it is found by listening",
};

/** The window itself: open or closed, and what is left of it. */
export function Window() {
  const cache = useQueryClient();
  const pairing = usePairing();
  const now = useNow(500);
  const refresh = () => cache.invalidateQueries({ queryKey: keys.pairing });
  const open = useChange({
    mutationFn: () => changes.openPairing("2 min"),
    onSuccess: (window) => cache.setQueryData(keys.pairing, window),
  });
  const close = useChange({
    mutationFn: () => changes.closePairing(),
    onSuccess: refresh,
  });
  return (
    <>
      <Await of={pairing} lines={2}>
        {(window) => {
          // The hub says how much is left; from then on it is counted here, so that
          // differing clocks do no harm.
          const left = Math.max(
            0,
            window.left_ms - Math.max(0, now - hubTime.aheadMs - pairing.dataUpdatedAt),
          );
          const isOpen = window.open && left > 0;
          return (
            <>
              <div className="flex flex-wrap items-center gap-4">
                <h2 id="pairing" className="text-xl">
                  {isOpen ? "Pairing is open" : "Let a node in"}
                </h2>
                {isOpen ? (
                  <>
                    <span role="timer" className="font-light text-3xl">
                      {Math.ceil(left / 1000)} s
                    </span>
                    <Button onClick={() => close.mutate()}>Close it</Button>
                  </>
                ) : (
                  <Button look="main" onClick={() => open.mutate()} disabled={open.isPending}>
                    Open pairing for two minutes
                  </Button>
                )}
              </div>
              <ul className="mt-2">
                {Object.keys(window.listening).map((link) => (
                  <li key={link}>
                    <span className="font-medium">{linkTitle(link)}</span>
                    {HOW[link] && <span className="text-faint">: {HOW[link]}</span>}
                  </li>
                ))}
              </ul>
              <details className="mt-1 text-faint text-sm">
                <summary className="cursor-pointer">Where the hub listens</summary>
                <ul>
                  {Object.entries(window.listening).map(([link, where]) => (
                    <li key={link}>{where}</li>
                  ))}
                </ul>
              </details>
            </>
          );
        }}
      </Await>
      {open.error && <Failure error={open.error} />}
    </>
  );
}

export function Pairing() {
  const cache = useQueryClient();
  const arrivals = useArrivals();
  const [admitting, setAdmitting] = useState<Arrival | null>(null);
  const turnAway = useChange({
    mutationFn: (id: string) => changes.turnAway(id),
    onSuccess: () => cache.invalidateQueries({ queryKey: keys.arrivals }),
  });
  const again = useChange({
    mutationFn: (id: string) => changes.askArrivalAgain(id),
    onSettled: () => cache.invalidateQueries({ queryKey: keys.arrivals }),
  });

  return (
    <section aria-labelledby="pairing" className="rule border bg-sheet p-5">
      <Window />
      {turnAway.error && <Failure error={turnAway.error} />}
      {again.error && <Failure error={again.error} />}
      <p aria-live="polite" className="sr-only">
        {arrivals.data?.length
          ? `Waiting: ${arrivals.data.map((arrival) => visible(arrival.title)).join(", ")}`
          : ""}
      </p>
      <ul aria-label="Arrivals" className="mt-3">
        {arrivals.data?.map((arrival) => (
          <li
            key={arrival.id}
            className="rule flex flex-wrap items-center gap-x-4 gap-y-1 border-t py-3"
          >
            <div className="min-w-0 grow basis-40 break-words">
              <span className="font-serif text-lg">{visible(arrival.title)}</span>{" "}
              <span className="text-faint text-sm">
                {linkTitle(arrival.link)}, heard <Ago at={arrival.heard_at} />
                {arrival.url && ` at ${arrival.url}`}
                {arrival.known_as && `, was here before as ${arrival.known_as}`}
                {arrival.sender && !arrival.url && ` from ${arrival.sender}`}
              </span>
              {arrival.state === "asking" ? (
                <Interview progress={arrival.progress} />
              ) : (
                <Has arrival={arrival} />
              )}
              <Also arrival={arrival} />
              {arrival.rivals.length > 0 && (
                <div className="text-sm">
                  <Mark>
                    Another device claims to be this node. The setup code shows which one is
                    genuine.
                  </Mark>
                </div>
              )}
            </div>
            <Choice arrival={arrival} admit={() => setAdmitting(arrival)} />
            {arrival.link === "zigbee" && !/\d of \d/.test(arrival.progress) && (
              <Button onClick={() => again.mutate(arrival.id)} disabled={again.isPending}>
                Ask again
              </Button>
            )}
            <Button look="grave" onClick={() => turnAway.mutate(arrival.id)}>
              Turn away
            </Button>
          </li>
        ))}
      </ul>
      {admitting && <Admit arrival={admitting} close={() => setAdmitting(null)} />}
    </section>
  );
}

function Has({ arrival }: { arrival: Arrival }) {
  const shown = arrival.entities.filter((entity) => !entity.hidden);
  return (
    <div className="text-sm">
      has {shown.map((e) => `${e.title.toLowerCase()}${e.unit ? ` (${e.unit})` : ""}`).join(", ")}
    </div>
  );
}

/** How far a node has been asked what it has: the words, and as much of a line. */
function Interview({ progress }: { progress: string }) {
  const steps = /(\d+) of (\d+)/.exec(progress);
  return (
    <div role="status" className="text-sm">
      {steps ? (
        <>
          {progress}
          <div aria-hidden="true" className="mt-1.5 flex h-1 max-w-60 gap-1">
            {Array.from({ length: Number(steps[2]) }, (_, n) => n).map((n) => (
              <span key={n} className={`flex-1 ${n < Number(steps[1]) ? "bg-act" : "bg-rule"}`} />
            ))}
          </div>
        </>
      ) : (
        <Mark>{progress}</Mark>
      )}
    </div>
  );
}

function Choice({ arrival, admit }: { arrival: Arrival; admit: () => void }) {
  if (arrival.state === "locked") return <Mark grave>locked after wrong codes</Mark>;
  if (arrival.state === "asking") return null;
  return (
    <Button look="main" onClick={admit}>
      Let it in
    </Button>
  );
}
