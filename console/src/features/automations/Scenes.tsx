// The scenes: recalled with a press, and recorded as things are now.
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import * as changes from "../../api/changes";
import { keys, useEntities, useScenes } from "../../api/queries";
import { shown } from "../../api/readings";
import { useChange } from "../../api/useChange";
import { SceneButton } from "../../parts/board/SceneButton";
import { Await, Button, Failure, Labelled } from "../../ui/parts";
import { Ticks } from "../../ui/Ticks";
import { visible } from "../../ui/visible";

export function Scenes() {
  const cache = useQueryClient();
  const scenes = useScenes();
  const again = () => void cache.invalidateQueries({ queryKey: keys.scenes });
  const remove = useChange({ mutationFn: changes.removeScene, onSuccess: again });
  const record = useChange({
    mutationFn: (title: string) => changes.recordScene(title, []),
    onSuccess: again,
  });
  return (
    <section aria-labelledby="scenes" className="mt-12">
      <h2 id="scenes" className="mb-3 text-2xl">
        Scenes
      </h2>
      <Await of={scenes} lines={1}>
        {(found) => (
          <ul>
            {found.map((one) => (
              <li
                key={one.scene}
                className="rule flex flex-wrap items-start gap-x-6 gap-y-2 border-t py-3"
              >
                <div className="w-48">
                  <SceneButton scene={one.scene} />
                </div>
                <p className="min-w-0 grow basis-64">
                  {one.states.map((state) => (
                    <span
                      key={state.entity}
                      className={`mr-4 ${state.there ? "" : "text-faint line-through"}`}
                    >
                      {visible(state.spoken)} {state.shown}
                    </span>
                  ))}
                </p>
                <span className="flex gap-4">
                  <button
                    type="button"
                    className="text-act underline"
                    onClick={() => record.mutate(one.title)}
                  >
                    record anew<span className="sr-only"> {one.title}</span>
                  </button>
                  <button
                    type="button"
                    className="text-act underline"
                    onClick={() => remove.mutate(one.scene)}
                  >
                    remove<span className="sr-only"> {one.title}</span>
                  </button>
                </span>
              </li>
            ))}
          </ul>
        )}
      </Await>
      {(remove.error ?? record.error) && (
        <Failure error={(remove.error ?? record.error) as Error} />
      )}
      <Record onDone={again} />
    </section>
  );
}

function Record({ onDone }: { onDone: () => void }) {
  const entities = useEntities();
  const [title, setTitle] = useState("");
  const [ticked, setTicked] = useState<string[]>([]);
  const can = (entities.data ?? []).filter((one) => one.writable && !one.hidden);
  const record = useChange({
    mutationFn: () => changes.recordScene(title, ticked),
    onSuccess: () => {
      setTitle("");
      setTicked([]);
      onDone();
    },
  });
  if (can.length === 0) return null;
  return (
    <details className="rule border-t pt-3">
      <summary className="cursor-pointer font-medium">Record a scene</summary>
      <form
        className="mt-3 space-y-3"
        onSubmit={(event: FormEvent) => {
          event.preventDefault();
          record.mutate();
        }}
      >
        <div className="max-w-xs">
          <Labelled label="What to call it">
            <input
              required
              value={title}
              onChange={(event) => setTitle(event.target.value)}
              className="field"
            />
          </Labelled>
        </div>
        <fieldset>
          <legend className="mb-1 font-medium">As these are now</legend>
          <Ticks
            of={can}
            id={(one) => one.entity}
            label={(one) => (
              <>
                {visible(one.spoken)} <span className="text-faint">{shown(one.value, one)}</span>
              </>
            )}
            ticked={ticked}
            onTicked={setTicked}
          />
        </fieldset>
        {record.error && <Failure error={record.error} />}
        <Button type="submit" disabled={record.isPending || ticked.length === 0 || !title.trim()}>
          Record it
        </Button>
      </form>
    </details>
  );
}
