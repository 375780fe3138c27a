import { afterEach, expect, it } from "vitest";
import { keepFocus } from "./keepFocus";

let end = () => {};
afterEach(() => end());

const settled = () => new Promise((resolve) => setTimeout(resolve));

it("goes to the heading of the section when the row with the keyboard is removed", async () => {
  document.body.innerHTML = `<main><h1>Settings</h1><section><h2>Phones</h2>
    <ul><li><button type="button">Remove</button></li></ul></section></main>`;
  end = keepFocus();
  document.querySelector("button")?.focus();
  document.querySelector("li")?.remove();
  await settled();
  expect(document.activeElement?.textContent).toBe("Phones");
});

it("leaves the keyboard where somebody has put it meanwhile", async () => {
  document.body.innerHTML = `<main><h1>Settings</h1><input /><button type="button">Remove</button></main>`;
  end = keepFocus();
  const button = document.querySelector("button");
  button?.focus();
  document.querySelector("input")?.focus();
  button?.remove();
  await settled();
  expect(document.activeElement?.tagName).toBe("INPUT");
});
