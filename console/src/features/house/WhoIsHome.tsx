// Who is home, by their word or by what is named for them.
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import * as changes from "../../api/changes";
import type { Presence } from "../../api/client";
import { keys, useEntities, usePresence } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Ago, Button, Failure, Labelled } from "../../ui/parts";
import { Ticks } from "../../ui/Ticks";
import { visible } from "../../ui/visible";

export function WhoIsHome() {
  const people = usePresence();
  if (!people.data?.length) return null;
  return (
    <section aria-labelledby="who" className="mt-8">
      <h2 id="who" className="mb-3 text-xl">
        Who is home
      </h2>
      <ul className="space-y-3">
        {people.data.map((one) => (
          <Person key={one.person} person={one} />
        ))}
      </ul>
    </section>
  );
}

function Person({ person }: { person: Presence }) {
  const cache = useQueryClient();
  const entities = useEntities();
  // Its value comes over the live stream, the list does not.
  const live = entities.data?.find((one) => one.entity === person.entity);
  const home = live?.value == null ? person.home : live.value === 1;
  const since = live?.at ?? person.since;
  const say = useChange({
    mutationFn: (is: boolean) => changes.changePerson(person.person, { home: is }),
    onSuccess: () => {
      void cache.invalidateQueries({ queryKey: keys.presence });
      void cache.invalidateQueries({ queryKey: keys.entities });
    },
  });
  return (
    <li>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <span className="min-w-0 grow">
          <b>{visible(person.person)}</b>{" "}
          {home === null ? (
            <span className="text-faint">has not said yet</span>
          ) : (
            <>
              {home ? "is home" : "is away"}{" "}
              {since && (
                <span className="text-faint">
                  (<Ago at={since} />)
                </span>
              )}
            </>
          )}
        </span>
        {home !== true && (
          <Button disabled={say.isPending} onClick={() => say.mutate(true)}>
            Home<span className="sr-only">: {person.person}</span>
          </Button>
        )}
        {home !== false && (
          <Button disabled={say.isPending} onClick={() => say.mutate(false)}>
            Away<span className="sr-only">: {person.person}</span>
          </Button>
        )}
      </div>
      {say.error && <Failure error={say.error} />}
      <TellsIt person={person} />
    </li>
  );
}

function TellsIt({ person }: { person: Presence }) {
  const cache = useQueryClient();
  const entities = useEntities();
  const [follows, setFollows] = useState(person.follows);
  const [linger, setLinger] = useState(person.linger);
  const save = useChange({
    mutationFn: () => changes.changePerson(person.person, { follows, linger }),
    onSuccess: () => void cache.invalidateQueries({ queryKey: keys.presence }),
  });
  const signs = (entities.data ?? []).filter(
    (one) =>
      !one.hidden &&
      !one.entity.startsWith("house/") &&
      ((one.words !== null && one.drawn === "states" && one.kind !== "choice") ||
        one.kind === "battery"),
  );
  return (
    <details className="mt-1 text-sm">
      <summary className="cursor-pointer text-faint">
        told by{" "}
        {person.follows.length
          ? `${person.follows.join(", ")}, and for ${person.linger} after the last sign`
          : "their own word"}
      </summary>
      <form
        className="mt-2 space-y-3"
        onSubmit={(event: FormEvent) => {
          event.preventDefault();
          save.mutate();
        }}
      >
        <fieldset>
          <legend className="mb-1">
            Home while one of these is on, or (a tag's battery) is heard
          </legend>
          <Ticks
            of={signs}
            id={(one) => one.entity}
            label={(one) => visible(one.spoken)}
            ticked={follows}
            onTicked={setFollows}
          />
        </fieldset>
        <div className="max-w-40">
          <Labelled label="After the last sign, for">
            <input
              value={linger}
              onChange={(event) => setLinger(event.target.value)}
              className="field"
            />
          </Labelled>
        </div>
        {save.error && <Failure error={save.error} />}
        <Button type="submit" disabled={save.isPending}>
          Keep it
        </Button>
      </form>
    </details>
  );
}
