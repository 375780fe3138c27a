// The courses on tiles: what a page shows of them is asked for at once, in one question.
import { useQuery } from "@tanstack/react-query";
import { addressParts, api, ask, type Earlier, type History, type Span } from "./client";
import { keys } from "./queries";

const POINTS = 96;
const TOGETHER_MS = 20;
const MOST = 100;

type Waiting = { take: (found: History) => void; fail: (error: unknown) => void };
let waiting = new Map<string, Waiting[]>();

/** One entity's day, asked for together with those of the other tiles. */
function course(address: string): Promise<History> {
  return new Promise((take, fail) => {
    if (waiting.size === 0) window.setTimeout(askForAll, TOGETHER_MS);
    waiting.set(address, [...(waiting.get(address) ?? []), { take, fail }]);
  });
}

function askForAll() {
  const all = [...waiting];
  waiting = new Map();
  for (let at = 0; at < all.length; at += MOST) void askFor(all.slice(at, at + MOST));
}

async function askFor(some: [string, Waiting[]][]) {
  const entity = some.map(([address]) => address);
  try {
    const found = await ask(
      api.GET("/api/courses", { params: { query: { entity, span: "day", points: POINTS } } }),
    );
    some.forEach(([, waits], place) => {
      for (const one of waits) one.take(found[place] as History);
    });
  } catch (error) {
    for (const [, waits] of some) for (const one of waits) one.fail(error);
  }
}

/** The last day of an entity, in few points. */
export function useCourse(address: string): History | undefined {
  return useQuery({
    queryKey: [...keys.history(address, "day"), POINTS],
    queryFn: () => course(address),
    staleTime: 20_000,
    refetchInterval: 60_000,
  }).data;
}

/** What is asked of a chart: a usual span that ends now, or any other. */
export type Asked = { span: Span } | { start: number; end: number };

const CHART_POINTS = 600;
const again = (when: Asked) =>
  "span" in when ? (when.span === "hour" ? 15_000 : 60_000) : (false as const);

/** The courses of a chart, in the same buckets; the last ones while others are fetched. */
export const useCourses = (entity: string[], when: Asked, earlier?: Earlier) =>
  useQuery({
    queryKey: ["courses", entity, when, earlier],
    queryFn: () =>
      ask(
        api.GET("/api/courses", {
          params: { query: { entity, ...when, points: CHART_POINTS, earlier } },
        }),
      ),
    enabled: entity.length > 0,
    staleTime: 20_000,
    refetchInterval: again(when),
    placeholderData: (before) => (before?.length === entity.length ? before : undefined),
  });

/** What an entity comes to over a span. */
export const useNumbers = (
  entity: string,
  when: Asked,
  over: string | undefined,
  earlier?: Earlier,
) =>
  useQuery({
    queryKey: ["numbers", entity, when, over, earlier],
    queryFn: () =>
      ask(
        api.GET("/api/entities/{node}/{name}/numbers", {
          params: { path: addressParts(entity), query: { ...when, over, earlier } },
        }),
      ),
    staleTime: 20_000,
    refetchInterval: again(when),
    placeholderData: (before) => before,
  });

/** The readings of a span that are not good. */
export const useDoubts = (entity: string, when: Asked) =>
  useQuery({
    queryKey: ["doubts", entity, when],
    queryFn: () =>
      ask(
        api.GET("/api/entities/{node}/{name}/doubts", {
          params: { path: addressParts(entity), query: when },
        }),
      ),
    staleTime: 20_000,
    refetchInterval: again(when),
    placeholderData: (before) => before,
  });

/** When automations started and ended in a span. */
export const useMarks = (automations: string[], start: number, end: number) =>
  useQuery({
    // To the minute: a span that ends now moves on all the time.
    queryKey: [...keys.journal, "marks", automations, Math.floor(start / 60_000)],
    queryFn: async () => {
      const of = ["AutomationStarted", "AutomationEnded"] as const;
      const found = await Promise.all(
        of.map((event) =>
          ask(api.GET("/api/journal", { params: { query: { event, since: start, limit: 500 } } })),
        ),
      );
      return found
        .flatMap((page) => page.entries)
        .filter((entry) => automations.includes(entry.automation ?? ""))
        .map(({ at, event, text }) => ({ at, start: event === "AutomationStarted", text }));
    },
    enabled: automations.length > 0,
    select: (marks) => marks.filter((mark) => mark.at <= end),
    placeholderData: (before) => before,
  });
