// What the hub makes of a text, asked a moment after the last key.
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ask } from "../../api/client";

const PAUSE = 250;

export function useChecked(text: string) {
  const [settled, setSettled] = useState(text);
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(text), PAUSE);
    return () => window.clearTimeout(timer);
  }, [text]);
  const checked = useQuery({
    queryKey: ["check", settled],
    queryFn: () => ask(api.POST("/api/automations/check", { body: { text: settled } })),
    enabled: settled.trim() !== "",
    placeholderData: (before) => before,
  });
  // What was found out about another text does not make this one sound.
  const current = settled === text && !checked.isPlaceholderData;
  return {
    error: checked.error,
    data: checked.data && { ...checked.data, ok: checked.data.ok && current },
  };
}
