// A text with its line numbers, in a plain area: until the editor is there.
import { useEffect, useRef } from "react";
import type { Mistake } from "../api/client";

export type Place = { line: number; column: number };
export type AreaProps = {
  label: string;
  text: string;
  setText: (text: string) => void;
  mistakes: Mistake[];
  warnings: Mistake[];
  /** Where to put the cursor; a new object each time. */
  goTo: Place | null;
};

export default function PlainText({ label, text, setText, mistakes, goTo }: AreaProps) {
  const area = useRef<HTMLTextAreaElement>(null);
  const lines = text.split(/\r?\n/);
  const wrong = new Set(mistakes.map((m) => m.line));
  useEffect(() => {
    if (!goTo) return;
    const before = (area.current?.value ?? "").split("\n").slice(0, goTo.line - 1);
    const start = before.reduce((sum, line) => sum + line.length + 1, 0) + goTo.column - 1;
    area.current?.focus();
    area.current?.setSelectionRange(start, start);
  }, [goTo]);
  return (
    <div className="rule flex border bg-sheet font-mono text-sm leading-6">
      <ol
        aria-hidden="true"
        className="select-none whitespace-nowrap border-rule border-r px-2 py-2 text-right text-faint"
      >
        {lines.map((line, place) => (
          <li
            // biome-ignore lint/suspicious/noArrayIndexKey: a line is known by its number
            key={`${place}${line.length}`}
            className={wrong.has(place + 1) ? "font-bold text-madder" : ""}
          >
            {wrong.has(place + 1) ? "! " : ""}
            {place + 1}
          </li>
        ))}
      </ol>
      <textarea
        ref={area}
        aria-label={label}
        aria-invalid={mistakes.length > 0}
        aria-describedby="mistakes"
        spellCheck={false}
        wrap="off"
        rows={Math.max(16, lines.length + 1)}
        value={text}
        onChange={(event) => setText(event.target.value)}
        className="w-full resize-none overflow-x-auto bg-transparent p-2 leading-6"
      />
    </div>
  );
}
