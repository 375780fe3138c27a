// A text that is being written. It outlives a reload, Back, a lost session and another
// page; it is forgotten when it is kept or given up.
import { useEffect, useState } from "react";

interface Draft {
  text: string;
  /** What it was written over. */
  base: string;
}

const key = (name: string) => `hombi.draft.${name}`;

function stored(name: string): Draft | null {
  try {
    const found = JSON.parse(localStorage.getItem(key(name)) ?? "null");
    return typeof found?.text === "string" && typeof found?.base === "string" ? found : null;
  } catch {
    return null;
  }
}

/** With `first`, it begins with that text. */
export function useDraft(name: string, kept: string, first?: string) {
  const [draft, setDraft] = useState(() =>
    first === undefined
      ? (stored(name) ?? { text: kept, base: kept })
      : { text: first, base: kept },
  );
  const changed = draft.text !== draft.base;
  useEffect(() => {
    try {
      if (changed) localStorage.setItem(key(name), JSON.stringify(draft));
      else localStorage.removeItem(key(name));
    } catch {
      // No room, or none allowed: it is kept for as long as the page is.
    }
  }, [name, draft, changed]);
  // What nobody has written on follows what is kept now.
  useEffect(() => {
    setDraft((now) => (now.text === now.base ? { text: kept, base: kept } : now));
  }, [kept]);
  // The browser asks before it throws a page away that somebody has written on.
  useEffect(() => {
    if (!changed) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [changed]);
  return {
    text: draft.text,
    /** What it was written over: saving says so, and is refused if it is another now. */
    base: draft.base,
    changed,
    /** Whether what it was written over was changed elsewhere meanwhile. */
    overtaken: changed && draft.base !== kept,
    write: (text: string) => setDraft({ ...draft, text }),
    /** It is kept now, or given up for what is. */
    settle: (text: string) => setDraft({ text, base: text }),
    /** Go on with it over what is kept now. */
    rebase: () => setDraft({ ...draft, base: kept }),
  };
}
