// One automation: the sentence, then form and text side by side.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useRef, useState } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";
import * as changes from "../../api/changes";
import { type Automation, HubError } from "../../api/client";
import { keys, useAutomations } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Await, Button, Failure, Labelled, Page } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";
import { TextEditor } from "../../ui/TextEditor";
import { useDraft } from "../../ui/useDraft";
import { Standing } from "./AutomationsPage";
import { Blanks } from "./Blanks";
import { History } from "./History";
import { StarterForm, useStarters } from "./StarterForm";
import { Texts } from "./Texts";
import { ThresholdForm } from "./ThresholdForm";
import { useChecked } from "./useChecked";
import { useCompletes } from "./useCompletes";
import { WhyNot } from "./WhyNot";

// The chart library comes with it.
const WouldHave = lazy(() => import("./WouldHave"));

export function AutomationPage() {
  const { automation: address = "" } = useParams();
  const automations = useAutomations();
  const [search] = useSearchParams();
  const like = search.get("like");
  if (address === "new")
    return like ? <Copied like={like} /> : <Edit key="new" automation={null} />;
  return (
    <Await of={automations} lines={8}>
      {(all) => {
        const found = all.find((a) => a.automation === address);
        return found ? (
          <Edit key={address} automation={found} />
        ) : (
          <Failure error={new Error(`There is no automation ${address}.`)} />
        );
      }}
    </Await>
  );
}

/** A new one that begins as a copy. */
function Copied({ like }: { like: string }) {
  const automations = useAutomations();
  const found = automations.data?.find((one) => one.automation === like);
  const text = useQuery({
    queryKey: ["automations", "copy", found?.text],
    queryFn: async () =>
      (await changes.editText(found?.text ?? "", ["name"], `${found?.name} (copy)`)).text,
    enabled: found !== undefined,
  });
  return <Await of={text}>{(made) => <Edit key={like} automation={null} first={made} />}</Await>;
}

function Edit({ automation, first }: { automation: Automation | null; first?: string }) {
  const cache = useQueryClient();
  const navigate = useNavigate();
  const [search] = useSearchParams();
  const kept = automation?.text ?? "";
  const draft = useDraft(
    `automation.${automation?.automation ?? (first ? "copy" : "new")}`,
    kept,
    first,
  );
  const { text, changed } = draft;
  // What the form wrote last may be written over; what a person typed only when they
  // say so.
  const [written, setWritten] = useState("");
  const [offered, setOffered] = useState<string | null>(null);
  const checked = useChecked(text);
  const completes = useCompletes();
  const save = useChange({
    mutationFn: () =>
      automation
        ? changes.changeAutomation(automation.automation, { text, was: draft.base })
        : changes.addAutomation(text),
    onSuccess: (saved) => {
      draft.settle(automation ? saved.text : "");
      void cache.invalidateQueries({ queryKey: keys.automations });
      if (!automation) void navigate(`/automations/${saved.automation}`, { replace: true });
    },
  });
  function write(fresh: string) {
    draft.write(fresh);
    setWritten(fresh);
    setOffered(null);
  }
  const sentence = text.trim() ? checked.data?.sentence : "";
  // The past is looked at by a text that is sound, while the next one is being written.
  const sound = useRef("");
  if (checked.data?.ok) sound.current = text;
  // The mistakes are in the text already; the rest is not.
  const refused =
    save.error instanceof HubError && save.error.mistakes.length > 0 ? null : save.error;
  return (
    <Page
      title={automation?.name ?? "New automation"}
      aside={automation && <Standing automation={automation} />}
    >
      <p className="mb-6 max-w-[75ch] font-serif text-lg" aria-live="polite">
        {sentence ||
          (text.trim() ? "This text has mistakes." : "Fill in the form, or write the text.")}
      </p>
      <div className="grid gap-8 lg:grid-cols-2">
        <section aria-labelledby="form" className={automation ? "max-lg:order-last" : ""}>
          <h2 id="form" className="mb-3 text-xl">
            {automation ? "What it did" : first ? "Its values" : "Form"}
          </h2>
          {automation ? (
            <>
              <History automation={automation.automation} />
              {text.trim() && (checked.data?.fields ?? []).length > 0 && (
                <>
                  <h2 className="mt-8 mb-3 text-xl">Its values</h2>
                  <Blanks text={text} fields={checked.data?.fields ?? []} onText={draft.write} />
                </>
              )}
              {automation.sentence && (
                <>
                  <h2 className="mt-8 mb-3 text-xl">Why, or why not</h2>
                  <WhyNot automation={automation.automation} text={automation.text} />
                </>
              )}
              <Texts
                automation={automation.automation}
                text={automation.text}
                onText={draft.write}
              />
            </>
          ) : first ? (
            <Blanks text={text} fields={checked.data?.fields ?? []} onText={draft.write} />
          ) : (
            <Begin
              entity={search.get("entity") ?? ""}
              onText={(fresh) =>
                text.trim() && text !== written ? setOffered(fresh) : write(fresh)
              }
            />
          )}
        </section>
        <section aria-labelledby="text" className="min-w-0">
          <h2 id="text" className="mb-3 text-xl">
            Text
          </h2>
          <TextEditor
            label="The automation's text"
            text={text}
            setText={draft.write}
            mistakes={text.trim() ? (checked.data?.mistakes ?? []) : []}
            warnings={text.trim() ? (checked.data?.warnings ?? []) : []}
            completes={completes}
          />
          <Sheet
            open={offered !== null}
            close={() => setOffered(null)}
            title="Replace what you typed?"
          >
            <p className="mb-4">The form writes a new text. It replaces what you typed.</p>
            <div className="flex justify-end gap-3">
              <Button onClick={() => setOffered(null)}>Keep mine</Button>
              <Button look="grave" onClick={() => write(offered ?? "")}>
                Replace it
              </Button>
            </div>
          </Sheet>
          {draft.overtaken && (
            <div role="status" className="mt-3 border-amber border-l-4 py-2 pl-4">
              <p className="mb-2">Somebody changed this automation while you were editing.</p>
              <div className="flex flex-wrap gap-3">
                <Button onClick={draft.rebase}>Keep mine</Button>
                <Button onClick={() => draft.settle(kept)}>Take the other</Button>
              </div>
            </div>
          )}
          {refused && <Failure error={refused} />}
          {checked.error && <Failure error={checked.error} />}
          <div className="mt-4 flex flex-wrap items-center gap-4">
            <Button
              look="main"
              disabled={!changed || draft.overtaken || !checked.data?.ok || save.isPending}
              onClick={() => save.mutate()}
            >
              {automation ? "Save" : "Put on duty"}
            </Button>
            {changed && (
              <Button
                onClick={() => {
                  save.reset();
                  draft.settle(kept);
                }}
              >
                Discard changes
              </Button>
            )}
            {automation && !changed && (
              <Button
                onClick={() => void navigate(`/automations/new?like=${automation.automation}`)}
              >
                Copy
              </Button>
            )}
            {automation && <Remove automation={automation} />}
            <span aria-live="polite" className="text-faint">
              {changed ? "not saved; kept on this device" : save.isSuccess && "saved"}
            </span>
          </div>
        </section>
      </div>
      {sound.current && text.trim() && (
        <Suspense>
          <WouldHave
            text={sound.current}
            automation={automation?.automation ?? ""}
            onText={draft.write}
          />
        </Suspense>
      )}
    </Page>
  );
}

/** How a new one begins: with a form of its own, or one that is ready-made. */
function Begin({ entity, onText }: { entity: string; onText: (text: string) => void }) {
  const starters = useStarters();
  const [chosen, setChosen] = useState("");
  const starter = starters.data?.find((one) => one.starter === chosen);
  return (
    <div className="space-y-4">
      <Labelled label="Begin with">
        <select
          value={chosen}
          onChange={(event) => setChosen(event.target.value)}
          className="field"
        >
          <option value="">a limit of your own</option>
          {(starters.data ?? []).map((one) => (
            <option key={one.starter} value={one.starter}>
              {one.title}
            </option>
          ))}
        </select>
      </Labelled>
      {starter ? (
        <StarterForm key={chosen} starter={starter} onText={onText} />
      ) : (
        <ThresholdForm entity={entity} onText={onText} />
      )}
    </div>
  );
}

function Remove({ automation }: { automation: Automation }) {
  const cache = useQueryClient();
  const navigate = useNavigate();
  const [asking, setAsking] = useState(false);
  const remove = useChange({
    mutationFn: () => changes.removeAutomation(automation.automation),
    onSuccess: () => {
      void cache.invalidateQueries({ queryKey: keys.automations });
      void navigate("/automations");
    },
  });
  return (
    <>
      <Button look="grave" onClick={() => setAsking(true)}>
        Remove …
      </Button>
      <Sheet open={asking} close={() => setAsking(false)} title={`Remove ${automation.name}?`}>
        <p className="mb-4">
          Removing it also deletes its text; take it off duty to keep it. If it is on, its end
          actions run first.
        </p>
        {remove.error && <Failure error={remove.error} />}
        <div className="flex justify-end gap-3">
          <Button onClick={() => setAsking(false)}>Keep it</Button>
          <Button look="grave" onClick={() => remove.mutate()}>
            Remove it
          </Button>
        </div>
      </Sheet>
    </>
  );
}
