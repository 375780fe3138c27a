// The courses on tiles: what a page shows of them is asked for at once, in one question.
import { useQuery } from "@tanstack/react-query";
import { api, ask, type History } from "./client";
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
