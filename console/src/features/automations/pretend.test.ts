import { expect, it } from "vitest";
import { named, rangeOf } from "./PretendValue";

it("finds the values of a text that are in a unit", () => {
  const text = 'under = "82 %"\nuntil="86,5%"\nheld = "10 min"\ntitle = "5 % dry"\nto = "-3 °C"';
  expect(named(text, "%")).toEqual([82, 86.5]);
  expect(named(text, "°C")).toEqual([-3]);
  expect(named('over = "5"', "")).toEqual([5]);
});

it("leaves room around what is known, as far as the entity goes", () => {
  const entity = { low: 0, high: 100, decimals: 1 };
  expect(rangeOf([80, 84, null, 82], entity)).toEqual([79, 85]);
  expect(rangeOf([80, 80], entity)).toEqual([79, 81]);
  expect(rangeOf([2, 98], entity)).toEqual([0, 100]);
  expect(rangeOf([undefined, null], entity)).toEqual([0, 100]);
});
