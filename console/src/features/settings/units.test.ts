import { expect, test } from "vitest";
import { withUnit } from "./units";

const temperature = { unit: "°C", units: ["°C", "°F", "K"] };

test("one unit for each thing that is measured, and none where it is the usual one", () => {
  expect(withUnit([], temperature, "°F")).toEqual(["°F"]);
  expect(withUnit(["°F", "inHg"], temperature, "K")).toEqual(["inHg", "K"]);
  expect(withUnit(["°F", "inHg"], temperature, "°C")).toEqual(["inHg"]);
});
