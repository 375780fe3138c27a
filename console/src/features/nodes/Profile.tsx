// What a Zigbee node says and nothing names yet, and the profile in which a person
// names it.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import * as changes from "../../api/changes";
import { api, ask, HubError, type HubNode, type NodeProfile } from "../../api/client";
import { keys } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Await, Button, Failure } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";
import { TextEditor } from "../../ui/TextEditor";
import { useDraft } from "../../ui/useDraft";

export function Profile({ node }: { node: HubNode }) {
  const [params, setParams] = useSearchParams();
  const open = params.has("profile");
  const profile = useQuery({
    queryKey: keys.profile(node.node),
    queryFn: () =>
      ask(api.GET("/api/nodes/{node}/profile", { params: { path: { node: node.node } } })),
    retry: false,
    refetchInterval: 10_000,
  });
  const unnamed = profile.data?.unnamed ?? 0;
  return (
    <section aria-label="Profile" className="mb-10 flex flex-wrap items-center gap-4">
      <Button onClick={() => setParams({ profile: "" })}>Its profile …</Button>
      <span className="text-faint">
        {unnamed > 0 &&
          `It says ${unnamed} ${unnamed === 1 ? "value" : "values"} that nothing names yet.`}
        {profile.data && unnamed === 0 && "Everything that it says has a name."}
      </span>
      <Sheet open={open} close={() => setParams({})} title={`The profile of ${node.title}`} wide>
        <Await of={profile} lines={8}>
          {(found) => <Editor node={node.node} latest={found} close={() => setParams({})} />}
        </Await>
      </Sheet>
    </section>
  );
}

function Editor({ node, latest, close }: { node: string; latest: NodeProfile; close: () => void }) {
  // It is asked for again and again, and its values move on: what a person is writing
  // stays.
  const [profile] = useState(latest);
  const draft = useDraft(`profile.${node}`, profile.text);
  const cache = useQueryClient();
  const save = useChange({
    mutationFn: () => changes.keepProfile(node, draft.text),
    onSuccess: () => {
      for (const queryKey of [keys.nodes, keys.entities, keys.house, keys.profile(node)])
        void cache.invalidateQueries({ queryKey });
      draft.settle(draft.text);
      close();
    },
  });
  const foot = useRef<HTMLDivElement>(null);
  // What waits for a name is at the end of the text.
  useEffect(() => {
    if (profile.unnamed > 0) foot.current?.scrollIntoView({ block: "end" });
  }, [profile.unnamed]);
  const mistakes = save.error instanceof HubError ? save.error.mistakes : [];
  return (
    <>
      <p className="mb-3">
        Give each value a name, a kind and a unit, and remove what you do not need. The change
        applies at once to every node of this make and model.
      </p>
      <TextEditor
        label="The profile's text"
        text={draft.text}
        setText={draft.write}
        mistakes={mistakes}
      />
      {save.error && mistakes.length === 0 && <Failure error={save.error} />}
      <div ref={foot} className="mt-4 flex flex-wrap items-center justify-end gap-3">
        <span className="mr-auto break-all text-faint text-sm" title={profile.path}>
          kept in the hub’s data folder, as{" "}
          <code>{profile.path.split("/").slice(-2).join("/")}</code>
        </span>
        <Button onClick={close}>Leave it as it was</Button>
        <Button
          look="main"
          disabled={save.isPending || !draft.changed}
          onClick={() => save.mutate()}
        >
          Use it
        </Button>
      </div>
    </>
  );
}
