import { expect, test } from "vitest";
import type { Kind, Message } from "../../api/client";
import { guessKind, guessLevel, guessTitle, guessUnit, typedWords, withPlaceholder } from "./guess";
import { merged, SHOWN } from "./stream";

const message = (number: number, topic = "mill/a/state") =>
  ({ number, topic, via: "door", payload: "" }) as unknown as Message;

test("new messages come on top, each once, and no more than can be shown", () => {
  const old = [message(2), message(1)];
  expect(merged(old, [message(3), message(2)], false).map((m) => m.number)).toEqual([3, 2, 1]);
  const many = Array.from({ length: SHOWN + 50 }, (_, n) => message(n + 1));
  expect(merged([], many, false)).toHaveLength(SHOWN);
  expect(merged([], many, false)[0]?.number).toBe(SHOWN + 50);
});

test("the last one of each topic replaces the one before", () => {
  const old = [message(2, "mill/b/state"), message(1)];
  expect(merged(old, [message(3)], true).map((m) => [m.number, m.topic])).toEqual([
    [3, "mill/a/state"],
    [2, "mill/b/state"],
  ]);
});

const kind = (name: string, called: string[], words: string[] | null = null): Kind => ({
  kind: name,
  title: name,
  unit: "",
  units: [],
  words,
  own_words: false,
  moment: false,
  low: 0,
  high: 1,
  called,
});
const KINDS = [
  kind("temperature", ["temp", "t"]),
  kind("moisture", ["soil"]),
  kind("voltage", ["mv"]),
  kind("switch", ["state", "lamp"], ["off", "on"]),
  kind("contact", ["door", "open"], ["closed", "open"]),
];

test.each([
  ["mill/bed/state", "/soil/moisture", "41", "moisture"],
  ["mill/bed/state", "/temp_c", "12", "temperature"],
  ["mill/bed/state", "/bat_mv", "2987", "voltage"],
  ["mill/lamp/state", "/state", "ON", "switch"],
  ["mill/gate/door", "", "open", "contact"],
  ["mill/x/y", "", "7", "number"],
])("the kind of %s %s %s is guessed", (topic, pointer, shown, kind) => {
  expect(guessKind(topic, pointer, shown, KINDS)).toBe(kind);
});

test("units, names and the node's level are guessed", () => {
  expect(guessUnit("/bat_mv", ["V", "mV"])).toBe("mV");
  expect(guessUnit("/t", ["°C"])).toBe("");
  expect(guessTitle("mill/x/state", "/bat_level", "number")).toBe("Bat level");
  expect(guessTitle("mill/x/state", "/t", "temperature")).toBe("Temperature");
  expect(withPlaceholder("mill/bed/state", guessLevel("mill/bed/state"))).toBe("mill/{node}/state");
  expect(withPlaceholder("depth", -1)).toBe("depth");
});

test("the words of a choice are typed with commas between them", () => {
  expect(typedWords(" low, medium,,high ,")).toEqual(["low", "medium", "high"]);
  expect(typedWords("")).toEqual([]);
});
