// What the house does by itself: each automation as a sentence, and where it stands.
import { useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import * as changes from "../../api/changes";
import type { Automation } from "../../api/client";
import { keys, useAutomations } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Ago, Await, Empty, Mark, Page } from "../../ui/parts";
import { Scenes } from "./Scenes";

export function AutomationsPage() {
  const automations = useAutomations();
  return (
    <Page
      title="Automations"
      aside={
        <Link
          to="/automations/new"
          className="rounded-sm border border-act bg-act px-3 py-1 font-medium text-on-act"
        >
          New automation
        </Link>
      }
    >
      <Await of={automations} lines={6}>
        {(found) =>
          found.length === 0 ? (
            <Empty>There are no automations yet.</Empty>
          ) : (
            <ul>
              {found.map((automation) => (
                <Row key={automation.automation} automation={automation} />
              ))}
            </ul>
          )
        }
      </Await>
      <Scenes />
    </Page>
  );
}

function Row({ automation }: { automation: Automation }) {
  const cache = useQueryClient();
  const duty = useChange({
    mutationFn: (enabled: boolean) => changes.changeAutomation(automation.automation, { enabled }),
    onSettled: () => cache.invalidateQueries({ queryKey: keys.automations }),
  });
  return (
    <li className="rule border-t py-4">
      <div className="flex flex-wrap items-baseline gap-x-5 gap-y-1">
        <h2 className="text-xl">
          <Link className="text-act hover:underline" to={`/automations/${automation.automation}`}>
            {automation.name}
          </Link>
        </h2>
        <Standing automation={automation} />
        <button
          type="button"
          className="ml-auto text-act underline"
          onClick={() => duty.mutate(!automation.enabled)}
          disabled={duty.isPending}
        >
          {automation.enabled ? "take off duty" : "put on duty"}
          <span className="sr-only"> {automation.name}</span>
        </button>
      </div>
      <p className="mt-1 max-w-[75ch]">{automation.sentence}</p>
      <p className="mt-1 text-faint text-sm">
        {automation.started_at === null ? (
          "never started"
        ) : (
          <>
            last started <Ago at={automation.started_at} />, {times(automation.started_lately)} in
            the last seven days
          </>
        )}
      </p>
      {automation.about && <p className="mt-1 text-faint text-sm">{automation.about}</p>}
      {duty.error && <Mark grave>{duty.error.message}</Mark>}
    </li>
  );
}

function times(count: number): string {
  return count === 0 ? "not once" : count === 1 ? "once" : count === 2 ? "twice" : `${count} times`;
}

export function Standing({ automation }: { automation: Automation }) {
  if (automation.mistakes[0]) return <Mark grave>cannot run: {automation.mistakes[0].what}</Mark>;
  if (automation.stopped) return <Mark grave>stopped: {automation.stopped}</Mark>;
  if (!automation.enabled) return <span className="text-faint">off duty</span>;
  const words = {
    idle: "quiet",
    holding: "holding, begun",
    waiting: "waiting until it may act",
    on: "on, started",
  };
  const since = automation.phase === "holding" || automation.phase === "on";
  return (
    <span className={automation.phase === "on" ? "font-semibold" : "text-faint"}>
      {words[automation.phase]} {since && <Ago at={automation.since} />}
    </span>
  );
}
