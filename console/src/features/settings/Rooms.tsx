// The house's floors and rooms: adding, and putting rooms in their order.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { ArrowLeft, ArrowRight, Trash2 } from "lucide-react";
import type { FormEvent } from "react";
import * as changes from "../../api/changes";
import type { Room } from "../../api/client";
import { keys, useHouse } from "../../api/queries";
import { Await, Button, Failure, Labelled } from "../../ui/parts";

type Change = { room: string; floor?: string; position?: number };

export function Rooms() {
  const cache = useQueryClient();
  const house = useHouse();
  const refresh = () => cache.invalidateQueries({ queryKey: keys.house });
  const addRoom = useMutation({
    mutationFn: (body: { name: string; floor: string }) => changes.addRoom(body),
    onSuccess: refresh,
  });
  const addFloor = useMutation({
    mutationFn: (name: string) => changes.addFloor(name),
    onSuccess: refresh,
  });
  const change = useMutation({
    mutationFn: ({ room, ...body }: Change) => changes.changeRoom(room, body),
    onSuccess: refresh,
  });
  const remove = useMutation({
    mutationFn: (room: string) => changes.removeRoom(room),
    onSuccess: refresh,
  });
  const error = addRoom.error ?? addFloor.error ?? change.error ?? remove.error;

  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    const text = (name: string) => String(values.get(name) ?? "");
    if (text("what") === "floor") addFloor.mutate(text("name"));
    else addRoom.mutate({ name: text("name"), floor: text("what") });
    event.currentTarget.reset();
  }

  return (
    <section aria-labelledby="rooms">
      <h2 id="rooms" className="mb-3 text-xl">
        Floors and rooms
      </h2>
      <Await of={house}>
        {({ floors }) => (
          <>
            {[...floors].reverse().map((floor) => (
              <div key={floor.id} className="rule border-t py-2">
                <h3 className="font-sans text-faint text-sm">{floor.name}</h3>
                <ul>
                  {floor.rooms.map((room, place) => (
                    <li key={room.room} className="flex items-center gap-3 py-0.5">
                      <span className="grow">{room.name}</span>
                      <select
                        aria-label={`Floor of ${room.name}`}
                        value={floor.name}
                        onChange={(event) =>
                          change.mutate({ room: room.room, floor: event.target.value })
                        }
                        className="rounded-sm border border-rule bg-sheet text-act text-sm"
                      >
                        {floors.map((f) => (
                          <option key={f.id}>{f.name}</option>
                        ))}
                      </select>
                      <Order
                        room={room}
                        place={place}
                        last={floor.rooms.length - 1}
                        move={change.mutate}
                      />
                      <button
                        type="button"
                        aria-label={`Remove ${room.name}`}
                        onClick={() => remove.mutate(room.room)}
                      >
                        <Trash2 aria-hidden className="size-4 text-madder" />
                      </button>
                    </li>
                  ))}
                </ul>
              </div>
            ))}
            <form onSubmit={submit} className="mt-3 flex flex-wrap items-end gap-3">
              <Labelled label="Add">
                <input name="name" required placeholder="its name" className="field" />
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
              <Button type="submit">Add it</Button>
            </form>
          </>
        )}
      </Await>
      {error && <Failure error={error} />}
    </section>
  );
}

function Order({
  room,
  place,
  last,
  move,
}: {
  room: Room;
  place: number;
  last: number;
  move: (change: Change) => void;
}) {
  return (
    <span className="flex gap-1 text-act">
      <button
        type="button"
        aria-label={`Move ${room.name} left`}
        disabled={place === 0}
        className="disabled:opacity-30"
        onClick={() => move({ room: room.room, position: place - 1 })}
      >
        <ArrowLeft aria-hidden className="size-4" />
      </button>
      <button
        type="button"
        aria-label={`Move ${room.name} right`}
        disabled={place === last}
        className="disabled:opacity-30"
        onClick={() => move({ room: room.room, position: place + 1 })}
      >
        <ArrowRight aria-hidden className="size-4" />
      </button>
    </span>
  );
}
