// A text in TOML with its line numbers, and its mistakes with line and column.
import { lazy, Suspense, useState } from "react";
import type { Mistake } from "../api/client";
import PlainText, { type Place } from "./PlainText";

// The editor's library is as large as all the rest of the page.
const CodeText = lazy(() => import("./CodeText"));

export type Completion = { label: string; detail?: string; info?: string };
/** What fits at a place of the text, and from where on it replaces. */
export type Completes = (
  text: string,
  at: number,
) => { from: number; options: Completion[] } | null;

const NONE: Mistake[] = [];

export function TextEditor({
  label,
  text,
  setText,
  mistakes,
  warnings = NONE,
  completes,
}: {
  label: string;
  text: string;
  setText: (text: string) => void;
  mistakes: Mistake[];
  warnings?: Mistake[];
  completes?: Completes;
}) {
  const [goTo, setGoTo] = useState<Place | null>(null);
  // Editors know line feeds only; what the text had stays.
  const ends = text.includes("\r\n");
  const area = {
    label,
    text: ends ? text.replaceAll("\r\n", "\n") : text,
    setText: (typed: string) => setText(ends ? typed.replaceAll("\n", "\r\n") : typed),
    mistakes,
    warnings,
    goTo,
  };
  return (
    <>
      <Suspense fallback={<PlainText {...area} />}>
        <CodeText {...area} completes={completes} />
      </Suspense>
      <ul id="mistakes" aria-live="polite" className="mt-3 space-y-2">
        {[...mistakes, ...warnings].map((mistake) => (
          <li
            key={`${mistake.line} ${mistake.column} ${mistake.what}`}
            className={`border-l-4 pl-3 ${mistakes.includes(mistake) ? "border-madder" : "border-amber"}`}
          >
            <button
              type="button"
              className="text-act underline"
              onClick={() => setGoTo({ line: mistake.line, column: mistake.column })}
            >
              line {mistake.line}, column {mistake.column}
            </button>
            : {mistake.what}
            {mistake.hint && <div className="text-faint text-sm">{mistake.hint}</div>}
          </li>
        ))}
      </ul>
    </>
  );
}
