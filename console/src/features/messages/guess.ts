// First guesses about a picked value, for the person to correct.
import type { Kind } from "../../api/client";

/**
 * What a value most likely is, by the words in its pointer and topic, the last ones
 * first.
 */
export function guessKind(topic: string, pointer: string, shown: string, kinds: Kind[]): string {
  const number = /^\s*[-+]?\d/.test(shown);
  const fits = kinds.filter(
    (kind) => !kind.moment && !kind.own_words && (kind.words === null) === number,
  );
  const words = `${topic}/${pointer}`
    .toLowerCase()
    .split(/[^a-z0-9]+/)
    .filter(Boolean)
    .reverse();
  for (const word of words) {
    const found = fits.find((kind) => kind.kind === word || kind.called.includes(word));
    if (found) return found.kind;
  }
  return number ? "number" : "switch";
}

/** The unit that the pointer speaks of, if it does. */
export function guessUnit(pointer: string, units: string[]): string {
  const words = pointer.split(/[^A-Za-z0-9]+/);
  return (
    units.find((unit) => words.some((word) => word.toLowerCase() === unit.toLowerCase())) ?? ""
  );
}

/** A name for the value: the last word of its pointer, else of its topic. */
export function guessTitle(topic: string, pointer: string, kind: string, title = kind): string {
  if (kind !== "number" && kind !== "switch") return title.charAt(0).toUpperCase() + title.slice(1);
  const last = (pointer || topic).split("/").filter(Boolean).at(-1) ?? kind;
  const words = last.replace(/[_-]+/g, " ");
  return words.charAt(0).toUpperCase() + words.slice(1);
}

/** The words of a choice, as a person types them: "low, medium, high". */
export const typedWords = (text: string): string[] =>
  text
    .split(",")
    .map((word) => word.trim())
    .filter(Boolean);

/** Which level of a topic names the node: the one before the last, or the only one. */
export function guessLevel(topic: string): number {
  return Math.max(0, topic.split("/").length - 2);
}

/** The topic with the placeholder at a level; -1 for none. */
export function withPlaceholder(topic: string, level: number): string {
  return topic
    .split("/")
    .map((part, place) => (place === level ? "{node}" : part))
    .join("/");
}
