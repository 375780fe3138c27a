// What fits at a place in the text of an automation: keys from the language's schema,
// names from this house.
import type { Completes, Completion } from "../../ui/TextEditor";

export type Known = {
  entities: {
    entity: string;
    spoken: string;
    kind: string;
    unit: string;
    words: string[] | null;
    writable: boolean;
  }[];
  scenes: string[];
  sequences: string[];
  people: string[];
  automations: string[];
  schema: Schema | undefined;
};
export type Schema = {
  description?: string;
  properties?: Record<string, Schema>;
  items?: Schema;
  enum?: string[];
  examples?: unknown[];
  /** What it names in the house, or that it is a value with its unit. */
  "x-takes"?: string;
};

const HEADS: [string, string][] = [
  ["[watch]", "what to look at"],
  ["[only]", "when it may act"],
  ["[[starts]]", "an action when it starts"],
  ["[[ends]]", "an action when it ends"],
  ["[[remind]]", "a notice while it lasts"],
];

/** The tables of a sequence; its steps are actions like any other. */
const SEQUENCE_HEADS: [string, string][] = [
  ["[takes]", "what it takes, and what that is usually"],
  ["[[steps]]", "an action"],
];

export function completer(known: Known, of: "automation" | "sequence" = "automation"): Completes {
  const heads = of === "sequence" ? SEQUENCE_HEADS : HEADS;
  return (text, at) => {
    const line = text.slice(text.lastIndexOf("\n", at - 1) + 1, at);
    const before = text.slice(0, at - line.length);
    if (isComment(line)) return null;
    const value = /([A-Za-z_]+)\s*=\s*(?:\[\s*(?:"[^"]*"\s*,\s*)*)?"([^"]*)$/.exec(line);
    if (value) {
      const [, key = "", typed = ""] = value;
      const from = at - typed.length;
      const options = valuesOf(key, typed, table(before + line), before + line, known);
      return options.length
        ? { from: from + unitStart(takesOf(key, table(before + line), known), typed), options }
        : null;
    }
    const head = /^\s*(\[{0,2}[a-z]*)$/.exec(line);
    const inline = /[{,]\s*([a-z_]*)$/.exec(line);
    if (!head && !inline) return null;
    const typed = (head?.[1] ?? inline?.[1] ?? "") as string;
    const options = inline && !head ? keysOf(inlineTable(line), known) : [];
    if (head) {
      const keys = typed.startsWith("[") ? [] : keysOf(table(before), known);
      // Of what stands at the top, a sequence has its name and its note.
      const top = of === "sequence" && table(before) === "";
      options.push(...keys.filter(({ label }) => !top || ["name", "about"].includes(label)));
      options.push(...heads.map(([label, detail]) => ({ label, detail })));
    }
    return options.length ? { from: at - typed.length, options } : null;
  };
}

function isComment(line: string): boolean {
  return /^[^"]*(?:"[^"]*"[^"]*)*#/.test(line);
}

/** The name of the table in which a place stands. */
function table(before: string): string {
  const heads = [...before.matchAll(/^\s*\[{1,2}\s*([a-z_]+)\s*\]{1,2}/gm)];
  return heads.at(-1)?.[1] ?? "";
}

/** Within braces, the key before them says what they are. */
function inlineTable(line: string): string {
  const open = /([a-z_]+)\s*=\s*(?:\[[^\]]*)?\{[^{}]*$/.exec(line);
  return open?.[1] ?? "all";
}

function keysOf(name: string, { schema }: Known): Completion[] {
  const top = schema?.properties ?? {};
  const action = top.starts?.items?.properties ?? {};
  const places: Record<string, Record<string, Schema> | undefined> = {
    "": Object.fromEntries(Object.entries(top).filter(([, one]) => !one.properties && !one.items)),
    watch: top.watch?.properties,
    only: top.only?.properties,
    starts: action,
    ends: action,
    steps: action,
    branch: { when: { description: "when it is this one" }, ...action },
    remind: top.remind?.items?.properties,
    when: top.only?.properties?.when?.items?.properties,
    wait_until: action.wait_until?.properties,
  };
  const found = name in places ? places[name] : top.watch?.properties?.all?.items?.properties;
  return Object.entries(found ?? {}).map(([label, one]) => ({
    label,
    ...(one.description ? { detail: one.description } : {}),
  }));
}

/** A unit is completed behind the number that is there already. */
function unitStart(takes: string | undefined, typed: string): number {
  const number = takes === "limit" ? /^\s*-?[\d.,]+\s*/.exec(typed) : null;
  return number ? number[0].length : 0;
}

function valuesOf(key: string, typed: string, name: string, before: string, known: Known) {
  const names = (all: string[]): Completion[] => all.map((label) => ({ label }));
  const entities = (fits: (one: Known["entities"][number]) => boolean) =>
    known.entities.filter(fits).map((one) => ({ label: one.entity, detail: one.spoken }));
  const takes = takesOf(key, name, known);
  if (takes === "entity") return entities(() => true);
  if (takes === "switch") return entities((one) => one.writable && one.kind === "switch");
  if (takes === "settable") return entities((one) => one.writable);
  if (takes === "scene") return names(known.scenes);
  if (takes === "sequence") return names(known.sequences);
  if (takes === "person") return names(["everyone", ...known.people]);
  if (takes === "home") return names(["nobody", "anyone", ...known.people]);
  if (takes === "automation") return names(known.automations);
  if (takes === "limit") return limitsOf(key, typed, before, known);
  const found = described(key, name, known);
  const words = found?.enum ?? found?.items?.enum ?? found?.examples ?? [];
  return names(words.filter((one): one is string => typeof one === "string"));
}

/** What the schema says of a key: in its own table first. */
function described(key: string, name: string, { schema }: Known): Schema | undefined {
  const top = schema?.properties ?? {};
  const all = [top, top.watch?.properties, top.only?.properties, top.starts?.items?.properties];
  const own = name && top[name]?.properties?.[key];
  return own || all.map((one) => one?.[key]).find((one) => one);
}

const takesOf = (key: string, name: string, known: Known) =>
  described(key, name, known)?.["x-takes"];

/** The states of the entity that was named before, or its unit behind a number. */
function limitsOf(key: string, typed: string, before: string, known: Known): Completion[] {
  const named = [...before.matchAll(/(?:entity|switch|set|duty)\s*=\s*"([^"]*)"/g)].at(-1)?.[1];
  const entity = known.entities.find((one) => one.entity === named);
  const other = key === "to" && entity?.writable && entity.kind !== "choice" ? ["other"] : [];
  if (entity?.words) return [...entity.words, ...other].map((label) => ({ label }));
  if (/^\s*-?[\d.,]+\s*$/.test(typed)) return entity?.unit ? [{ label: entity.unit }] : [];
  if (key === "to" && !entity) return [{ label: "on" }, { label: "off" }, { label: "other" }];
  return [];
}
