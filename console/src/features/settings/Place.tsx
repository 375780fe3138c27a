// Where the house stands: automations by the sun need it.
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import * as changes from "../../api/changes";
import type { House } from "../../api/client";
import { keys, useHouse } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Await, Button, Failure, Labelled } from "../../ui/parts";

export function Place() {
  const house = useHouse();
  return (
    <section aria-labelledby="place">
      <h2 id="place" className="mb-3 text-xl">
        Where the house is
      </h2>
      <p className="mb-3 text-faint">
        Automations by sunrise and sunset need it. One decimal is enough; it stays in the house.
      </p>
      <Await of={house} lines={2}>
        {(found) => <PlaceForm house={found} />}
      </Await>
    </section>
  );
}

function PlaceForm({ house }: { house: House }) {
  const cache = useQueryClient();
  const [kept, setKept] = useState(false);
  const save = useChange({
    mutationFn: (where: { latitude: number; longitude: number }) => changes.changeHouse({ where }),
    onSuccess: (fresh) => {
      cache.setQueryData(keys.house, fresh);
      setKept(true);
    },
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    const degrees = (name: string) => Number(String(values.get(name)).replace(",", "."));
    save.mutate({ latitude: degrees("latitude"), longitude: degrees("longitude") });
  }
  return (
    <form onSubmit={submit} onChange={() => setKept(false)} className="space-y-3">
      <div className="flex flex-wrap items-end gap-4">
        <Degrees name="latitude" label="Degrees north" most={90} value={house.where?.latitude} />
        <Degrees name="longitude" label="Degrees east" most={180} value={house.where?.longitude} />
        <Button type="submit" disabled={save.isPending}>
          Keep it
        </Button>
        {kept && <span role="status">Kept.</span>}
      </div>
      {save.error && <Failure error={save.error} />}
    </form>
  );
}

type Asked = { name: string; label: string; most: number; value?: number };

function Degrees({ name, label, most, value }: Asked) {
  return (
    <Labelled label={label}>
      <input
        name={name}
        type="number"
        step="any"
        min={-most}
        max={most}
        required
        defaultValue={value}
        className="field w-32"
      />
    </Labelled>
  );
}
