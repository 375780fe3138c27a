// What happened, in order, by day.
import { useInfiniteQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import { api, ask, type JournalEntry } from "../../api/client";
import { keys } from "../../api/queries";
import { Await, Button, Empty, Mark, Page } from "../../ui/parts";
import { clock, day, exact } from "../../ui/time";
import { visible } from "../../ui/visible";

const FILTERS = [
  ["", "everything"],
  ["AutomationStarted", "automations started"],
  ["CommandConfirmed", "switched"],
  ["CommandFailed", "not switched"],
  ["NodeAdmitted", "let in"],
  ["NodeSilent", "silent"],
  ["NoticeDelivered", "told"],
] as const;

export function JournalPage() {
  const [search, setSearch] = useSearchParams();
  const event = search.get("event") ?? "";
  const node = search.get("node") ?? "";
  const journal = useInfiniteQuery({
    queryKey: [...keys.journal, "pages", event, node],
    queryFn: ({ pageParam }) =>
      ask(
        api.GET("/api/journal", {
          params: {
            query: { ...(pageParam ? { before: pageParam } : {}), event, node, limit: 100 },
          },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (page) => page.next,
  });
  return (
    <Page
      title={node ? `Journal of ${node}` : "Journal"}
      aside={
        <label className="flex items-center gap-2">
          <span className="text-faint">show</span>
          <select
            value={event}
            onChange={(e) =>
              setSearch({ ...(e.target.value && { event: e.target.value }), ...(node && { node }) })
            }
            className="field"
          >
            {FILTERS.map(([value, label]) => (
              <option key={value} value={value}>
                {label}
              </option>
            ))}
          </select>
        </label>
      }
    >
      <Await of={{ data: journal.data, error: journal.error, refetch: journal.refetch }} lines={10}>
        {({ pages }) => {
          const entries = pages.flatMap((page) => page.entries);
          if (entries.length === 0) return <Empty>No events of this kind.</Empty>;
          return (
            <>
              {byDay(entries).map(([name, group]) => (
                <section key={name} aria-label={name} className="mb-8">
                  <h2 className="mb-2 text-xl">{name}</h2>
                  <ol>
                    {group.map((entry) => (
                      <li key={entry.id} className="rule flex flex-wrap gap-x-4 border-t py-1.5">
                        <time title={exact(entry.at)} className="w-20 shrink-0 text-faint">
                          {clock(entry.at)}
                        </time>
                        <Text entry={entry} />
                      </li>
                    ))}
                  </ol>
                </section>
              ))}
              {journal.hasNextPage && (
                <Button
                  onClick={() => void journal.fetchNextPage()}
                  disabled={journal.isFetchingNextPage}
                >
                  Older
                </Button>
              )}
            </>
          );
        }}
      </Await>
    </Page>
  );
}

function byDay(entries: JournalEntry[]): [string, JournalEntry[]][] {
  const days = new Map<string, JournalEntry[]>();
  for (const entry of entries) {
    const name = day(entry.at);
    days.set(name, [...(days.get(name) ?? []), entry]);
  }
  return [...days];
}

function Text({ entry }: { entry: JournalEntry }) {
  const grave = /Failed|Silent|Locked|Unsent|Refused/.test(entry.event);
  const path = entry.automation
    ? `/automations/${entry.automation}`
    : entry.entity
      ? `/readings/${entry.entity}`
      : entry.node && entry.event !== "NodeRemoved"
        ? `/nodes/${entry.node}`
        : "";
  const text = grave ? <Mark grave>{visible(entry.text)}</Mark> : visible(entry.text);
  // What happens by itself, or names who did it already, needs no more.
  const { by } = entry;
  const who = by && by !== "the house" && !entry.text.includes(by) ? by : "";
  return (
    <span className="min-w-0 flex-1 basis-40 break-words">
      {path ? (
        <Link to={path} className="hover:underline">
          {text}
        </Link>
      ) : (
        text
      )}
      {who && <span className="ml-2 text-faint text-sm">by {visible(who)}</span>}
    </span>
  );
}
