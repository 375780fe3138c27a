// A node's key: a new one, shown once with the line that posts a value; or none, which
// shuts the node out.
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import * as changes from "../../api/changes";
import type { HubNode, NodeKey } from "../../api/client";
import { keys } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Failure } from "../../ui/parts";
import { Secret } from "../../ui/Secret";
import { Sheet } from "../../ui/Sheet";

export function Key({ node }: { node: HubNode }) {
  const cache = useQueryClient();
  const [asking, setAsking] = useState(false);
  const refresh = () => cache.invalidateQueries({ queryKey: keys.nodes });
  const fresh = useChange({
    mutationFn: () => changes.newNodeKey(node.node),
    onSuccess: refresh,
  });
  const revoke = useChange({
    mutationFn: () => changes.revokeNodeKey(node.node),
    onSuccess: () => {
      void refresh();
      setAsking(false);
    },
  });
  return (
    <section aria-labelledby="key" className="mb-10">
      <h2 id="key" className="mb-2 text-xl">
        Its key
      </h2>
      {fresh.data ? (
        <KeyShown made={fresh.data} />
      ) : (
        <p className="mb-3 text-faint">
          {node.has_key
            ? "It has a key. The hub stores only its hash."
            : "It has no key and sends nothing by itself."}
        </p>
      )}
      {(fresh.error ?? revoke.error) && <Failure error={(fresh.error ?? revoke.error) as Error} />}
      <div className="flex flex-wrap gap-3">
        <Button onClick={() => setAsking(true)}>
          {node.has_key ? "New key, or shut it out …" : "Give it a key …"}
        </Button>
      </div>
      <Sheet open={asking} close={() => setAsking(false)} title={`${node.title}’s key`}>
        <p className="mb-4">
          A new key replaces the old one at once. The node cannot send again until it has the new
          key.
        </p>
        <div className="flex flex-wrap justify-end gap-3">
          <Button onClick={() => setAsking(false)}>Leave it</Button>
          {node.has_key && (
            <Button look="grave" onClick={() => revoke.mutate()}>
              Revoke the key
            </Button>
          )}
          <Button
            look="main"
            onClick={() => {
              setAsking(false);
              fresh.mutate();
            }}
          >
            Make a new key
          </Button>
        </div>
      </Sheet>
    </section>
  );
}

export function KeyShown({ made }: { made: NodeKey }) {
  return (
    <div className="mb-3 space-y-3">
      <Secret label={`Key of ${made.node}, shown this once`} value={made.key} />
      <Secret label="A line that posts a value (ENTITY is the value’s name)" value={made.curl} />
      <Secret label="An address for boards that can only fetch one" value={made.get} />
    </div>
  );
}
