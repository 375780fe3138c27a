// The house's floors and rooms: adding, naming, ordering and removing them.
import { useQueryClient } from "@tanstack/react-query";
import { ArrowDown, ArrowLeft, ArrowRight, ArrowUp, Trash2 } from "lucide-react";
import { type FormEvent, type ReactNode, useState } from "react";
import * as changes from "../../api/changes";
import type { Floor, Room } from "../../api/client";
import { keys, useHouse } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Asked } from "../../ui/Asked";
import { Await, Button, Failure, Labelled } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";
import { visible } from "../../ui/visible";

export function Rooms() {
  const house = useHouse();
  return (
    <section aria-labelledby="rooms">
      <h2 id="rooms" className="mb-3 text-xl">
        Floors and rooms
      </h2>
      <Await of={house}>
        {({ floors }) => (
          <>
            {[...floors].reverse().map((floor) => (
              <OneFloor key={floor.id} floor={floor} floors={floors} />
            ))}
            <AddToHouse floors={floors} />
          </>
        )}
      </Await>
    </section>
  );
}

/** What changes the house's plan, and fetches it again. */
function usePlan<Given>(make: (given: Given) => Promise<unknown>) {
  const cache = useQueryClient();
  return useChange<unknown, Given>({
    mutationFn: make,
    onSuccess: () => {
      for (const queryKey of [keys.house, keys.nodes, keys.entities])
        void cache.invalidateQueries({ queryKey });
    },
  });
}

function OneFloor({ floor, floors }: { floor: Floor; floors: Floor[] }) {
  const change = usePlan((body: { name?: string; position?: number }) =>
    changes.changeFloor(floor.name, body),
  );
  const remove = usePlan(() => changes.removeFloor(floor.name));
  return (
    <div className="rule border-t py-2">
      <div className="flex items-center gap-3">
        <h3 className="grow font-sans text-faint text-sm">{visible(floor.name)}</h3>
        <Rename
          what={floor.name}
          save={(name, done) => change.mutate({ name }, { onSuccess: done })}
          error={change.error}
        />
        <Steps
          steps={[
            [
              <ArrowUp key="up" aria-hidden className="size-4" />,
              `Move ${floor.name} up`,
              floor.position < floors.length - 1,
              () => change.mutate({ position: floor.position + 1 }),
            ],
            [
              <ArrowDown key="down" aria-hidden className="size-4" />,
              `Move ${floor.name} down`,
              floor.position > 0,
              () => change.mutate({ position: floor.position - 1 }),
            ],
          ]}
        />
        {floor.rooms.length === 0 && (
          <Asked
            title={`Remove ${floor.name}?`}
            label={`Remove ${floor.name}`}
            yes="Remove"
            button={<Trash2 aria-hidden className="size-4" />}
            busy={remove.isPending}
            error={remove.error}
            onYes={(done) => remove.mutate(undefined, { onSuccess: done })}
          >
            <p>It has no rooms. Nothing else changes.</p>
          </Asked>
        )}
      </div>
      <ul>
        {floor.rooms.map((room, place) => (
          <OneRoom key={room.room} room={room} place={place} floor={floor} floors={floors} />
        ))}
      </ul>
    </div>
  );
}

function OneRoom({
  room,
  place,
  floor,
  floors,
}: {
  room: Room;
  place: number;
  floor: Floor;
  floors: Floor[];
}) {
  const change = usePlan((body: { name?: string; floor?: string; position?: number }) =>
    changes.changeRoom(room.room, body),
  );
  const remove = usePlan(() => changes.removeRoom(room.room));
  return (
    <li className="py-0.5">
      <div className="flex flex-wrap items-center gap-x-3">
        <span className="min-w-0 grow basis-40 break-words">{visible(room.name)}</span>
        <Rename
          what={room.name}
          save={(name, done) => change.mutate({ name }, { onSuccess: done })}
          error={change.error}
        />
        <select
          aria-label={`Floor of ${room.name}`}
          value={floor.name}
          onChange={(event) => change.mutate({ floor: event.target.value })}
          className="rounded-sm border border-rule bg-sheet text-act text-sm"
        >
          {floors.map((f) => (
            <option key={f.id}>{f.name}</option>
          ))}
        </select>
        <Steps
          steps={[
            [
              <ArrowLeft key="left" aria-hidden className="size-4" />,
              `Move ${room.name} left`,
              place > 0,
              () => change.mutate({ position: place - 1 }),
            ],
            [
              <ArrowRight key="right" aria-hidden className="size-4" />,
              `Move ${room.name} right`,
              place < floor.rooms.length - 1,
              () => change.mutate({ position: place + 1 }),
            ],
          ]}
        />
        <Asked
          title={`Remove ${room.name}?`}
          label={`Remove ${room.name}`}
          yes="Remove"
          button={<Trash2 aria-hidden className="size-4" />}
          busy={remove.isPending}
          error={remove.error}
          onYes={(done) => remove.mutate(undefined, { onSuccess: done })}
        >
          <p>
            You can remove a room when it has no nodes. Move a node to another room on the node’s
            page.
          </p>
        </Asked>
      </div>
      {change.error && <Failure error={change.error} />}
    </li>
  );
}

/** A button that opens a sheet with one field: what to call it. */
function Rename({
  what,
  save,
  error,
}: {
  what: string;
  save: (name: string, done: () => void) => void;
  error: Error | null;
}) {
  const [open, setOpen] = useState(false);
  const close = () => setOpen(false);
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    save(String(new FormData(event.currentTarget).get("name")), close);
  }
  return (
    <>
      <button
        type="button"
        className="min-h-8 text-act text-sm underline"
        aria-label={`Rename ${what}`}
        onClick={() => setOpen(true)}
      >
        rename
      </button>
      <Sheet open={open} close={close} title={`Rename ${what}`}>
        <form onSubmit={submit} className="space-y-4">
          <Labelled label="Name">
            <input name="name" required maxLength={80} defaultValue={what} className="field" />
          </Labelled>
          {error && <Failure error={error} />}
          <div className="flex justify-end gap-3">
            <Button onClick={close}>Leave it</Button>
            <Button type="submit" look="main">
              Save
            </Button>
          </div>
        </form>
      </Sheet>
    </>
  );
}

type Step = [sign: ReactNode, label: string, may: boolean, act: () => void];

function Steps({ steps }: { steps: Step[] }) {
  return (
    <span className="flex text-act">
      {steps.map(([sign, label, may, act]) => (
        <button
          key={label}
          type="button"
          aria-label={label}
          disabled={!may}
          className="min-h-8 px-1 disabled:opacity-30"
          onClick={act}
        >
          {sign}
        </button>
      ))}
    </span>
  );
}

function AddToHouse({ floors }: { floors: Floor[] }) {
  const add = usePlan(({ what, name }: { what: string; name: string }) =>
    what === "floor" ? changes.addFloor(name) : changes.addRoom({ name, floor: what }),
  );
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = event.currentTarget;
    const values = new FormData(form);
    const text = (name: string) => String(values.get(name) ?? "");
    add.mutate({ what: text("what"), name: text("name") }, { onSuccess: () => form.reset() });
  }
  return (
    <form onSubmit={submit} className="mt-3 flex flex-wrap items-end gap-3">
      <Labelled label="Add">
        <input name="name" required maxLength={80} placeholder="its name" className="field" />
      </Labelled>
      <Labelled label="as">
        <select name="what" className="field">
          {floors.map((floor) => (
            <option key={floor.id} value={floor.name}>
              a room, {floor.name}
            </option>
          ))}
          <option value="floor">a floor, on top</option>
        </select>
      </Labelled>
      <Button type="submit" disabled={add.isPending}>
        Add it
      </Button>
      {add.error && <Failure error={add.error} />}
    </form>
  );
}
