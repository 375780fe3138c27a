// A stick that carries somebody else's network: it is neither taken nor wiped before a
// person says so.
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import * as changes from "../../api/changes";
import { keys, useZigbee } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Failure, Mark } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";

export function ForeignNetwork() {
  const cache = useQueryClient();
  const zigbee = useZigbee();
  const [wiping, setWiping] = useState(false);
  const choose = useChange({
    mutationFn: (choice: "keep" | "clean") => changes.chooseNetwork(choice),
    onSuccess: () => {
      setWiping(false);
      for (const queryKey of [keys.zigbee, keys.pairing, keys.house])
        void cache.invalidateQueries({ queryKey });
    },
  });
  if (zigbee.data?.state !== "foreign") return null;
  return (
    <section aria-labelledby="foreign" className="rule mb-6 border bg-sheet p-5">
      <h2 id="foreign" className="text-xl">
        <Mark grave>The Zigbee stick carries another network</Mark>
      </h2>
      <p className="mt-2 max-w-prose">
        It is not this house’s. Keep it, and the nodes in it can be let in while pairing is open; or
        start clean, and they must be joined again.
      </p>
      <div className="mt-4 flex flex-wrap gap-3">
        <Button look="main" onClick={() => choose.mutate("keep")} disabled={choose.isPending}>
          Keep its network
        </Button>
        <Button look="grave" onClick={() => setWiping(true)}>
          Wipe the network …
        </Button>
      </div>
      {choose.error && <Failure error={choose.error} />}
      <Sheet open={wiping} close={() => setWiping(false)} title="Wipe the network on the stick?">
        <p className="mb-4">
          Every node in that network loses its connection. This cannot be undone.
        </p>
        <div className="flex justify-end gap-3">
          <Button onClick={() => setWiping(false)}>Leave it</Button>
          <Button look="grave" onClick={() => choose.mutate("clean")}>
            Wipe it
          </Button>
        </div>
      </Sheet>
    </section>
  );
}
