// A lock: it is locked at once, and unlocked after one question more.
import { useState } from "react";
import type { Entity } from "../api/client";
import { Button } from "../ui/parts";
import { Sheet } from "../ui/Sheet";
import { visible } from "../ui/visible";
import { Result, useCommand } from "./useCommand";

export function LockControl({ entity }: { entity: Entity }) {
  const [asking, setAsking] = useState(false);
  const command = useCommand(entity);
  const [unlocked = "", locked = ""] = entity.words ?? [];
  const open = () => {
    setAsking(false);
    command.mutate(unlocked);
  };
  return (
    <div className="relative">
      {entity.value === 1 ? (
        <Button disabled={command.isPending} onClick={() => setAsking(true)}>
          Unlock …
        </Button>
      ) : (
        <Button look="main" disabled={command.isPending} onClick={() => command.mutate(locked)}>
          Lock
        </Button>
      )}
      <Result entity={entity} command={command} />
      <Sheet
        open={asking}
        close={() => setAsking(false)}
        title={`Unlock ${visible(entity.spoken)}?`}
      >
        <p className="mb-4">Whoever stands at the door can then come in.</p>
        <div className="flex justify-end gap-3">
          <Button onClick={() => setAsking(false)}>Leave it locked</Button>
          <Button look="main" onClick={open}>
            Unlock
          </Button>
        </div>
      </Sheet>
    </div>
  );
}
