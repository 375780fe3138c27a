// Pretend values, and what an automation would do with them. The house is not touched.
import { useMutation } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useState } from "react";
import { api, ask, type Schemas } from "../../api/client";
import { useEntities } from "../../api/queries";
import { Button, Failure } from "../../ui/parts";
import { clock, length } from "../../ui/time";
import { visible } from "../../ui/visible";

interface Pretended {
  id: number;
  after: string;
  entity: string;
  value: string;
}

const EDGES = { start: "It starts", end: "It ends", lost: "It cannot see", "": "Later" } as const;

export function Rehearse({ text, entities }: { text: string; entities: string[] }) {
  const known = useEntities();
  const spoken = (address: string) =>
    known.data?.find((one) => one.entity === address)?.spoken ?? address;
  const [first = ""] = entities;
  const [said, setSaid] = useState<Pretended[]>([{ id: 0, after: "", entity: "", value: "" }]);
  const found = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/automations/rehearse", {
          body: {
            text,
            said: said
              .filter((one) => one.value.trim())
              .map(({ after, entity, value }) => ({ after, entity: entity || first, value })),
          },
        }),
      ),
  });
  const change = (id: number, made: Partial<Pretended>) =>
    setSaid((before) => before.map((one) => (one.id === id ? { ...one, ...made } : one)));
  return (
    <details className="rule mt-10 border-t pt-4">
      <summary className="cursor-pointer text-xl">Rehearse it with pretend values</summary>
      <p className="mt-2 text-faint">
        Each value stands until the next one of the same entity. The house is not touched.
      </p>
      <form
        className="mt-3"
        onSubmit={(event) => {
          event.preventDefault();
          found.mutate();
        }}
      >
        <ul className="space-y-2">
          {said.map((one, place) => (
            <li key={one.id} className="flex flex-wrap items-center gap-2">
              <input
                aria-label={`When, value ${place + 1}`}
                placeholder="at once"
                value={one.after}
                onChange={(event) => change(one.id, { after: event.target.value })}
                className="field w-28"
              />
              {entities.length > 1 ? (
                <select
                  aria-label={`What, value ${place + 1}`}
                  value={one.entity || first}
                  onChange={(event) => change(one.id, { entity: event.target.value })}
                  className="field max-w-64"
                >
                  {entities.map((address) => (
                    <option key={address} value={address}>
                      {spoken(address)}
                    </option>
                  ))}
                </select>
              ) : (
                <span>{visible(spoken(first))} is</span>
              )}
              <input
                aria-label={`Value ${place + 1}`}
                placeholder="a value"
                value={one.value}
                onChange={(event) => change(one.id, { value: event.target.value })}
                className="field w-32"
              />
              {said.length > 1 && (
                <button
                  type="button"
                  aria-label={`Take value ${place + 1} out`}
                  onClick={() => setSaid((before) => before.filter((other) => other !== one))}
                  className="text-faint pointer-coarse:min-h-11 pointer-coarse:min-w-8"
                >
                  <X aria-hidden className="size-4" />
                </button>
              )}
            </li>
          ))}
        </ul>
        <div className="mt-3 flex flex-wrap gap-3">
          <Button
            type="button"
            onClick={() =>
              setSaid((before) => [
                ...before,
                {
                  id: Math.max(...before.map((one) => one.id)) + 1,
                  after: "10 min",
                  entity: "",
                  value: "",
                },
              ])
            }
          >
            Then another value
          </Button>
          <Button
            type="submit"
            look="main"
            disabled={found.isPending || !said.some((one) => one.value.trim())}
          >
            Rehearse
          </Button>
        </div>
      </form>
      {found.error && <Failure error={found.error} />}
      {found.data && <Steps of={found.data} />}
    </details>
  );
}

function Steps({ of }: { of: Schemas["Rehearsal"] }) {
  if (of.steps.length === 0)
    return (
      <p role="status" className="mt-4">
        Nothing happens until {clock(of.end).slice(0, 5)}.
      </p>
    );
  return (
    <ol aria-label="What happens" className="mt-4">
      {of.steps.map((one) => (
        <li key={`${one.at} ${one.edge} ${one.effects.join()}`} className="rule border-t py-2">
          <span className="text-faint">
            {one.after_ms < 1000 ? "at once" : `after ${length(one.after_ms)}`}
          </span>{" "}
          <span className="font-medium">{EDGES[one.edge]}</span>
          {one.text && `: ${visible(one.text)}`}
          {one.effects.length > 0 && (
            <span className="block text-faint">
              {one.effects.map((effect) => visible(effect)).join("; ")}
            </span>
          )}
        </li>
      ))}
    </ol>
  );
}
