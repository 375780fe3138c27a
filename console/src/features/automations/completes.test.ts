import { expect, it } from "vitest";
import { completer, type Known, type Schema } from "./completes";
import written from "./language.json";

const language = written as Schema;

const entity = (name: string, kind: string, unit = "", words: string[] | null = null) => ({
  entity: name,
  spoken: name,
  kind,
  unit,
  words,
  writable: kind === "switch" || kind === "level",
});
const known: Known = {
  entities: [
    entity("rack/humidity", "humidity", "%"),
    entity("door/contact", "contact", "", ["closed", "open"]),
    entity("mister/switch", "switch", "", ["off", "on"]),
    entity("lamp/level", "level", "%"),
  ],
  scenes: ["evening"],
  sequences: ["close-up"],
  people: ["ada"],
  automations: ["cellar-too-dry"],
  schema: language,
};

/** What is offered at the bar, and what of the text it replaces. */
function at(text: string) {
  const place = text.indexOf("|");
  const plain = text.replace("|", "");
  const found = completer(known)(plain, place);
  return found && [plain.slice(found.from, place), found.options.map((one) => one.label)];
}

it.each([
  [
    '[watch]\nentity = "ra|',
    "ra",
    ["rack/humidity", "door/contact", "mister/switch", "lamp/level"],
  ],
  ['[[starts]]\nswitch = "|', "", ["mister/switch"]],
  ['[[starts]]\nset = "|', "", ["mister/switch", "lamp/level"]],
  ['[[starts]]\nscene = "ev|', "ev", ["evening"]],
  ['[[starts]]\nrun = "|', "", ["close-up"]],
  ['[[starts]]\nduty = "|', "", ["cellar-too-dry"]],
  ['[[starts]]\nnotify = "|', "", ["everyone", "ada"]],
  ['[only]\nhome = "|', "", ["nobody", "anyone", "ada"]],
  ['[only]\ndays = ["mon", "|', "", ["mon", "tue", "wed", "thu", "fri", "sat", "sun"]],
  ['again = "|', "", ["skip", "afresh", "after"]],
  ['[watch]\nat = "|', "", ["06:45", "sunrise", "sunset", "sunset - 20 min"]],
  ['[watch]\nentity = "door/contact"\nis = "|', "", ["closed", "open"]],
  ['[watch]\nentity = "rack/humidity"\nover = "82 |', "", ["%"]],
  ['[[starts]]\nswitch = "mister/switch"\nto = "|', "", ["off", "on", "other"]],
])("offers the values that fit: %s", (text, replaced, labels) => {
  expect(at(text)).toEqual([replaced, labels]);
});

it("offers the keys of the table, and the other tables", () => {
  expect(at("na|")?.[1]).toEqual([
    "name",
    "about",
    "again",
    "pause",
    "[watch]",
    "[only]",
    "[[starts]]",
    "[[ends]]",
    "[[remind]]",
  ]);
  expect(at('name = "x"\n[watch]\no|')?.[1]?.slice(0, 4)).toEqual([
    "entity",
    "over",
    "under",
    "within",
  ]);
  expect(at("[[starts]]\n|")?.[1]?.slice(0, 3)).toEqual(["switch", "to", "for"]);
  expect(at("[watch]\nall = [ { |")?.[1]).toContain("held");
  // What depends on how a value has moved is no state that could be asked for.
  for (const asked of ['[only]\nwhen = [ { entity = "x", |', "[[starts]]\nwait_until = { |"]) {
    expect(at(asked)?.[1]).toContain("is");
    expect(at(asked)?.[1]).not.toContain("rising");
    expect(at(asked)?.[1]).not.toContain("held");
  }
  expect(at("[|")).toEqual(["[", ["[watch]", "[only]", "[[starts]]", "[[ends]]", "[[remind]]"]]);
});

it("offers a sequence its own tables", () => {
  const offered = (text: string) =>
    completer(known, "sequence")(text, text.length)?.options.map((one) => one.label);
  expect(offered("n")).toEqual(["name", "about", "[takes]", "[[steps]]"]);
  expect(offered("[[steps]]\nsw")?.slice(0, 3)).toEqual(["switch", "to", "for"]);
  expect(offered('[[steps]]\nswitch = "')).toEqual(["mister/switch"]);
});

it("offers nothing in comments, titles and numbers", () => {
  for (const text of ["# ent|", 'name = "Wa|', '[watch]\nover = "8|2', "x = 3|"])
    expect(at(text), text).toBeNull();
  expect(at('[watch] # "an entity|')).toBeNull();
});
