// The editor: line numbers, colours, mistakes where they stand, and completion.
import { autocompletion, completionKeymap } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from "@codemirror/language";
import { toml } from "@codemirror/legacy-modes/mode/toml";
import { type Diagnostic, lintGutter, setDiagnostics } from "@codemirror/lint";
import { Annotation, EditorState, type Text } from "@codemirror/state";
import { EditorView, highlightActiveLine, keymap, lineNumbers } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { useEffect, useRef } from "react";
import type { Mistake } from "../api/client";
import type { AreaProps } from "./PlainText";
import type { Completes } from "./TextEditor";

const colours = HighlightStyle.define([
  { tag: tags.comment, color: "var(--color-faint)", fontStyle: "italic" },
  { tag: tags.string, color: "var(--color-act)" },
  { tag: [tags.atom, tags.bool, tags.number], color: "var(--color-amber)" },
]);
const look = EditorView.theme({
  "&": { fontSize: "0.875rem" },
  "&.cm-focused": { outline: "2px solid var(--color-act)", outlineOffset: "2px" },
  ".cm-scroller": { fontFamily: "var(--font-mono)", lineHeight: "1.5rem" },
  ".cm-content": { caretColor: "var(--color-ink)", minHeight: "24rem", padding: "0.5rem 0" },
  ".cm-gutters": {
    background: "transparent",
    color: "var(--color-faint)",
    borderRight: "1px solid var(--color-rule)",
  },
  ".cm-activeLine, .cm-activeLineGutter": {
    background: "color-mix(in srgb, var(--color-act) 6%, transparent)",
  },
  "&.cm-focused .cm-selectionBackground, ::selection": {
    background: "color-mix(in srgb, var(--color-act) 25%, transparent) !important",
  },
  ".cm-tooltip": {
    background: "var(--color-sheet)",
    border: "1px solid var(--color-rule)",
    color: "var(--color-ink)",
  },
  ".cm-tooltip-autocomplete ul li": { padding: "0.25rem 0.5rem !important" },
  ".cm-tooltip-autocomplete ul li[aria-selected]": {
    background: "var(--color-act) !important",
    color: "var(--color-on-act) !important",
  },
  ".cm-completionDetail": {
    fontFamily: "var(--font-sans)",
    fontStyle: "normal",
    opacity: "0.8",
  },
  ".cm-completionInfo": { maxWidth: "20rem", padding: "0.5rem" },
});

// What comes from outside is not typing: it must not go out again.
const fromOutside = Annotation.define<boolean>();

export default function CodeText(props: AreaProps & { completes?: Completes | undefined }) {
  const { label, text, mistakes, warnings, goTo } = props;
  const place = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const latest = useRef(props);
  latest.current = props;
  // biome-ignore lint/correctness/useExhaustiveDependencies: it is made once; what changes comes below
  useEffect(() => {
    const made = new EditorView({
      parent: place.current as HTMLElement,
      state: EditorState.create({
        doc: text,
        extensions: [
          lineNumbers(),
          lintGutter(),
          history(),
          highlightActiveLine(),
          StreamLanguage.define(toml),
          syntaxHighlighting(colours),
          look,
          autocompletion({
            icons: false,
            override: [
              (at) => {
                const found = latest.current.completes?.(at.state.doc.toString(), at.pos);
                if (
                  !found ||
                  (!at.explicit && found.from === at.pos && !opened(at.state.doc, at.pos))
                )
                  return null;
                // In the order of the language, not of the alphabet.
                const options = found.options.map((one, place) => ({ ...one, boost: -place }));
                return { from: found.from, options };
              },
            ],
          }),
          // Tab goes on to what comes after the text, as everywhere on the page.
          keymap.of([...completionKeymap, ...defaultKeymap, ...historyKeymap]),
          EditorView.contentAttributes.of({
            "aria-label": label,
            "aria-describedby": "mistakes",
            spellcheck: "false",
          }),
          EditorView.updateListener.of((update) => {
            const typed = update.transactions.some(
              (one) => one.docChanged && !one.annotation(fromOutside),
            );
            if (typed) latest.current.setText(update.state.doc.toString());
          }),
        ],
      }),
    });
    view.current = made;
    return () => made.destroy();
  }, []);

  useEffect(() => {
    const known = view.current?.state.doc.toString();
    if (known === undefined || known === text) return;
    view.current?.dispatch({
      changes: { from: 0, to: known.length, insert: text },
      annotations: fromOutside.of(true),
    });
  }, [text]);

  useEffect(() => {
    const now = view.current;
    if (!now) return;
    const found = [
      ...mistakes.map((one) => diagnostic(now.state.doc, one, "error")),
      ...warnings.map((one) => diagnostic(now.state.doc, one, "warning")),
    ];
    now.dispatch(setDiagnostics(now.state, found));
  }, [mistakes, warnings]);

  useEffect(() => {
    const now = view.current;
    if (!now || !goTo) return;
    now.dispatch({ selection: { anchor: placeOf(now.state.doc, goTo) }, scrollIntoView: true });
    now.focus();
  }, [goTo]);

  return <div ref={place} className="rule min-w-0 border bg-sheet" />;
}

/** Whether a quote has just been opened: what fits there is worth showing at once. */
function opened(doc: Text, at: number): boolean {
  return doc.sliceString(at - 1, at) === '"';
}

function placeOf(doc: Text, { line, column }: { line: number; column: number }): number {
  const found = doc.line(Math.min(Math.max(line, 1), doc.lines));
  return Math.min(found.from + column - 1, found.to);
}

function diagnostic(doc: Text, mistake: Mistake, severity: "error" | "warning"): Diagnostic {
  const from = placeOf(doc, mistake);
  const to = Math.max(from, doc.lineAt(from).to);
  const message = mistake.hint ? `${mistake.what} (${mistake.hint})` : mistake.what;
  return { from, to, severity, message };
}
