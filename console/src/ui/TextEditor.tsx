// A text in TOML with its line numbers, and its mistakes with line and column.
import { useRef } from "react";
import type { Mistake } from "../api/client";

export function TextEditor({
  label,
  text,
  setText,
  mistakes,
  warnings = [],
}: {
  label: string;
  text: string;
  setText: (text: string) => void;
  mistakes: Mistake[];
  warnings?: Mistake[];
}) {
  const area = useRef<HTMLTextAreaElement>(null);
  const lines = text.split(/\r?\n/);
  const wrong = new Set(mistakes.map((m) => m.line));

  // A text area knows line feeds only; what the text had stays.
  const kept = (typed: string) => (text.includes("\r\n") ? typed.replaceAll("\n", "\r\n") : typed);

  function goTo(mistake: Mistake) {
    const start =
      lines.slice(0, mistake.line - 1).reduce((sum, line) => sum + line.length + 1, 0) +
      mistake.column -
      1;
    area.current?.focus();
    area.current?.setSelectionRange(start, start);
  }

  return (
    <>
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
          onChange={(event) => setText(kept(event.target.value))}
          className="w-full resize-none overflow-x-auto bg-transparent p-2 leading-6"
        />
      </div>
      <ul id="mistakes" aria-live="polite" className="mt-3 space-y-2">
        {[...mistakes, ...warnings].map((mistake) => (
          <li
            key={`${mistake.line} ${mistake.column} ${mistake.what}`}
            className={`border-l-4 pl-3 ${mistakes.includes(mistake) ? "border-madder" : "border-amber"}`}
          >
            <button type="button" className="text-act underline" onClick={() => goTo(mistake)}>
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
