// Shows the part of the page that the address names, when it is there.
import { useEffect } from "react";
import { useLocation } from "react-router";

export function useAnchor(ready: boolean) {
  const { hash } = useLocation();
  useEffect(() => {
    if (!ready || !hash) return;
    const part = document.getElementById(hash.slice(1));
    part?.scrollIntoView({ block: "start" });
    const around = part?.closest("section, form") ?? part?.parentElement;
    around?.querySelector<HTMLElement>("input, button, select")?.focus();
  }, [ready, hash]);
}
