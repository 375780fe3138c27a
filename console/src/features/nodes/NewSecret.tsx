// A node that asks the hub for a secret: another one, tried before it is kept.
import { useQueryClient } from "@tanstack/react-query";
import type { FormEvent } from "react";
import * as changes from "../../api/changes";
import type { HubNode } from "../../api/client";
import { keys } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Failure, Labelled, Mark } from "../../ui/parts";

export function NewSecret({ node }: { node: HubNode }) {
  const cache = useQueryClient();
  const change = useChange({
    mutationFn: (secret: string) => changes.changeSecret(node.node, secret),
    onSuccess: () => {
      for (const queryKey of [keys.nodes, keys.house]) void cache.invalidateQueries({ queryKey });
    },
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = event.currentTarget;
    change.mutate(String(new FormData(form).get("secret")), { onSuccess: () => form.reset() });
  }
  return (
    <section aria-labelledby="secret" className="mb-10">
      <h2 id="secret" className="mb-2 text-xl">
        Its secret
      </h2>
      {node.shut_out && (
        <p className="mb-3">
          <Mark grave>It refuses the hub: {node.shut_out}.</Mark>
        </p>
      )}
      <form onSubmit={submit} className="flex flex-wrap items-end gap-4">
        <Labelled label="A new one" hint="user:password, or its token. The hub tries it first.">
          <input name="secret" type="password" required autoComplete="off" className="field" />
        </Labelled>
        <Button type="submit" disabled={change.isPending}>
          {change.isPending ? "Trying it …" : "Use it"}
        </Button>
        <span aria-live="polite" className="text-faint">
          {change.isSuccess && "the node takes it"}
        </span>
      </form>
      {change.error && <Failure error={change.error} />}
    </section>
  );
}
