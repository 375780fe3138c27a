import { expect, test } from "vitest";
import { fitting, isNight, placeAt, sentence } from "./wall";

test("a wall is dim from ten at night to six", () => {
  expect([5.9, 6, 12, 21.9, 22, 23.5].map(isNight)).toEqual([
    true,
    false,
    false,
    false,
    true,
    true,
  ]);
});

test("nothing stands in one place for longer than a minute", () => {
  const places = Array.from({ length: 8 }, (_, minute) => JSON.stringify(placeAt(minute * 60_000)));
  expect(new Set(places).size).toBe(8);
});

test("the most pressing is said first, then what is on", () => {
  expect(sentence([{ text: "Loft beam is silent" }, { text: "b" }], ["Fan"])).toEqual({
    text: "Loft beam is silent, and 1 more",
    grave: true,
  });
  expect(sentence([], ["Fan", "Mister"]).text).toBe("On now: Fan, Mister");
  expect(sentence([], []).text).toBe("All is well.");
});

test("a screen has room for a few large tiles", () => {
  expect([fitting(1280, 800), fitting(1920, 1080), fitting(390, 844), fitting(200, 100)]).toEqual([
    6, 16, 2, 1,
  ]);
});
