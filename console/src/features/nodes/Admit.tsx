// Letting one arrival in: its setup code, its name, its room.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { FormEvent } from "react";
import { type Arrival, api, ask } from "../../api/client";
import { keys, useHouse } from "../../api/queries";
import { Button, Failure, Labelled } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";

export function Admit({ arrival, close }: { arrival: Arrival; close: () => void }) {
  const cache = useQueryClient();
  const house = useHouse();
  const rooms = house.data?.floors.flatMap((floor) => floor.rooms) ?? [];
  const admit = useMutation({
    mutationFn: (body: { setup_code: string; name: string; room: string }) =>
      ask(api.POST("/api/arrivals/{arrival}/admit", { params: { path: { arrival: arrival.id } }, body })),
    onSuccess: () => {
      for (const queryKey of [keys.arrivals, keys.nodes, keys.entities, keys.house])
        void cache.invalidateQueries({ queryKey });
      close();
    },
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    const text = (name: string) => String(values.get(name) ?? "");
    admit.mutate({ setup_code: text("code"), name: text("name"), room: text("room") });
  }
  return (
    <Sheet open close={close} title={`Let ${arrival.title} in`}>
      <form onSubmit={submit} className="space-y-4">
        <Labelled label="Setup code" hint="It is on the node. It shows that you have the node in hand.">
          <input name="code" required autoComplete="off" inputMode="numeric" className="field" />
        </Labelled>
        <Labelled label="Name" hint="Its values are called after it.">
          <input name="name" required defaultValue={arrival.known_as ?? arrival.title} className="field" />
        </Labelled>
        <Labelled label="Room" hint="One of the house's rooms, or the name of a new one.">
          <input name="room" list="rooms" autoComplete="off" className="field" />
        </Labelled>
        <datalist id="rooms">
          {rooms.map((room) => (
            <option key={room.room} value={room.name} />
          ))}
        </datalist>
        {admit.error && <Failure error={admit.error} />}
        <div className="flex justify-end gap-3">
          <Button onClick={close}>Not now</Button>
          <Button type="submit" look="main" disabled={admit.isPending}>
            Let it in
          </Button>
        </div>
      </form>
    </Sheet>
  );
}
