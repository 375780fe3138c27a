// The messages that fit a filter: the latest first, kept fresh by a stream of their own
// while the page is open.
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ask, type Message } from "../../api/client";
import { keys } from "../../api/queries";

export interface Wanted {
  via: string;
  topic: string;
  node: string;
  text: string;
}

export const SHOWN = 200;

/**
 * New messages on top of the old ones, each once, bounded; or the last one of each
 * topic.
 */
export function merged(old: Message[], fresh: Message[], each: boolean): Message[] {
  const all = [...fresh, ...old].sort((a, b) => b.number - a.number);
  const seen = new Set<string | number>();
  const kept = all.filter((message) => {
    const key = each ? `${message.via} ${message.topic}` : message.number;
    if (seen.has(key)) return false;
    seen.add(key);
    return true;
  });
  return kept.slice(0, SHOWN);
}

export function useMessages(wanted: Wanted, each: boolean, paused: boolean) {
  const [came, setCame] = useState<Message[]>([]);
  const [passedOver, setPassedOver] = useState(0);
  const query = Object.fromEntries(Object.entries(wanted).filter(([, value]) => value));
  const key = JSON.stringify(query);
  const first = useQuery({
    queryKey: [...keys.messages, key, each],
    queryFn: () =>
      ask(
        api.GET("/api/messages", {
          params: { query: { ...query, limit: SHOWN, each_topic: each } },
        }),
      ),
    retry: false,
  });
  const fetched = first.isSuccess;
  // The stream goes on where the first look ended, so that nothing falls between the
  // two.
  const after = first.data?.[0]?.number ?? 0;

  // biome-ignore lint/correctness/useExhaustiveDependencies: another filter begins again
  useEffect(() => {
    setCame([]);
    setPassedOver(0);
  }, [key, each]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a stream that runs is not restarted for a later look
  useEffect(() => {
    if (paused || !fetched) return;
    const from = new URLSearchParams({ ...JSON.parse(key), after: String(after) });
    const source = new EventSource(`/api/messages/live?${from}`);
    source.addEventListener("messages", (event) => {
      const batch = JSON.parse(event.data) as { messages: Message[]; passed_over: number };
      setCame((before) => merged(before, batch.messages, each));
      setPassedOver((before) => before + batch.passed_over);
    });
    return () => source.close();
  }, [key, each, paused, fetched]);

  return { ...first, data: first.data && merged(first.data, came, each), passedOver };
}
