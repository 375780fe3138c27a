// Making this device one of the household's phones.
import { useQueryClient } from "@tanstack/react-query";
import type { FormEvent } from "react";
import { Link } from "react-router";
import { keys } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Failure, Labelled } from "../../ui/parts";
import { addThisPhone, obstacle } from "./push";

export function TakeHere() {
  const cache = useQueryClient();
  const add = useChange({
    mutationFn: addThisPhone,
    onSuccess: () => cache.invalidateQueries({ queryKey: keys.contacts }),
  });
  const blocked = obstacle();
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    add.mutate(String(new FormData(event.currentTarget).get("name")));
  }
  return (
    <form onSubmit={submit} className="space-y-3">
      <Labelled
        label="Name of this device"
        hint={blocked || "The browser asks for permission to show notifications."}
      >
        <input
          name="name"
          required
          placeholder="like Ada's phone"
          className="field"
          disabled={blocked !== ""}
        />
      </Labelled>
      {!window.isSecureContext && (
        <p>
          <Link className="text-act underline" to="/trust">
            Have this device trust the house
          </Link>
        </p>
      )}
      {add.error && <Failure error={add.error} />}
      <Button type="submit" look="main" disabled={add.isPending || blocked !== ""}>
        {add.isPending ? "Asking the browser …" : "Take notifications here"}
      </Button>
    </form>
  );
}
