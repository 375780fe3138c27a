import { expect, it } from "vitest";
import type { JournalEntry } from "../../api/client";
import { entity, plug } from "../../test-parts";
import { dots, stretches } from "./day";
import { leading, trouble } from "./leading";

let id = 0;
function entry(at: number, event: string, automation = ""): JournalEntry {
  id += 1;
  return {
    id,
    at,
    event,
    by: "",
    text: `${event} ${automation}`,
    node: "",
    entity: "",
    automation,
    data: {},
  };
}

it("leads with up to three kinds, the most telling first", () => {
  const found = leading([
    entity("a/battery"),
    entity("b/humidity"),
    plug(1),
    entity("a/temperature"),
    entity("c/temperature"),
    entity("a/co2"),
  ]);
  expect(found.map((e) => e.entity)).toEqual(["a/temperature", "b/humidity", "a/co2"]);
});

it("does not lead with what was never heard", () => {
  expect(leading([entity("a/temperature", { quality: "none", value: null })])).toEqual([]);
});

it("names what is wrong in a room", () => {
  expect(trouble([entity("a/humidity")])).toBe("");
  expect(trouble([entity("a/humidity", { quality: "bad", reason: "silent" })])).toBe("silent");
  expect(trouble([entity("a/battery", { value: 9 })])).toBe("low battery");
  expect(trouble([entity("a/battery", { value: 11 })])).toBe("");
});

it("makes stretches of starts and ends", () => {
  const entries = [
    entry(50, "AutomationEnded", "overnight"),
    entry(100, "AutomationStarted", "dry"),
    entry(200, "AutomationEnded", "dry"),
    entry(300, "AutomationStarted", "dry"),
  ];
  expect(stretches(entries.reverse(), 10, 400).map((s) => [s.automation, s.from, s.to])).toEqual([
    ["overnight", 10, 50],
    ["dry", 100, 200],
    ["dry", 300, 400],
  ]);
});

it("makes dots of what else is worth one", () => {
  const found = dots([
    entry(1, "NodeSilent"),
    entry(2, "NodeAdmitted"),
    entry(3, "AutomationStarted"),
    entry(4, "NodeChanged"),
  ]);
  expect(found.map((d) => [d.at, d.grave])).toEqual([
    [1, true],
    [2, false],
  ]);
});

it("leads with the room’s own temperature, not that of its soil", () => {
  const soil = entity("probe/soil-temperature", { kind: "temperature", title: "Soil temperature" });
  expect(leading([soil, entity("mast/temperature")]).map((e) => e.entity)).toEqual([
    "mast/temperature",
  ]);
});

it("names water on the floor before anything else but what is bad", () => {
  const leak = entity("floor/leak", { kind: "leak", value: 1, words: ["dry", "wet"] });
  expect(trouble([entity("a/battery", { value: 5 }), leak])).toBe("wet");
  expect(trouble([{ ...leak, value: 0 }])).toBe("");
});

it("does not take a radiator's target for how warm a room is", () => {
  const target = entity("head/target", {
    kind: "temperature",
    title: "Temperature",
    writable: true,
  });
  const measured = entity("head/temperature", { kind: "temperature", title: "Head" });
  expect(leading([target, measured])).toEqual([measured]);
  expect(leading([target])).toEqual([]);
});
