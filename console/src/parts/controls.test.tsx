import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";
import { entity, fakeHub, show } from "../test-parts";
import { Control } from "./Control";

const settable = (more: object) =>
  entity("node/value", { writable: true, spoken: "The value", ...more });
const ASK = "POST /api/entities/node/value/command";
const CONFIRMED = { [ASK]: { body: { state: "confirmed", problem: "" } } };
const asked = (to: string) => ({ what: ASK, body: { to } });

it("asks for a word of a choice", async () => {
  const hub = fakeHub(CONFIRMED);
  show(
    <Control
      entity={settable({ kind: "choice", drawn: "states", words: ["off", "heat"], value: 0 })}
    />,
  );
  expect(screen.getByRole("radio", { name: "off" }).getAttribute("aria-checked")).toBe("true");
  fireEvent.click(screen.getByRole("radio", { name: "heat" }));
  await waitFor(() => expect(hub).toEqual([asked("heat")]));
});

it("lists many words", async () => {
  const hub = fakeHub(CONFIRMED);
  const words = ["one", "two", "three", "four", "five", "six"];
  show(<Control entity={settable({ kind: "choice", drawn: "states", words, value: 2 })} />);
  const list = screen.getByRole("combobox", { name: "The value" }) as HTMLSelectElement;
  expect(list.value).toBe("three");
  fireEvent.change(list, { target: { value: "six" } });
  await waitFor(() => expect(hub).toEqual([asked("six")]));
});

it("locks at once, and unlocks after a question", async () => {
  const hub = fakeHub(CONFIRMED);
  const lock = { kind: "lock", drawn: "states", words: ["unlocked", "locked"] };
  const { unmount } = show(<Control entity={settable({ ...lock, value: 1 })} />);
  fireEvent.click(screen.getByRole("button", { name: "Unlock …" }));
  await screen.findByText("Whoever stands at the door can then come in.");
  expect(hub).toEqual([]);
  fireEvent.click(screen.getByRole("button", { name: "Unlock" }));
  await waitFor(() => expect(hub).toEqual([asked("unlocked")]));
  unmount();
  show(<Control entity={settable({ ...lock, value: 0 })} />);
  fireEvent.click(screen.getByRole("button", { name: "Lock" }));
  await waitFor(() => expect(hub).toEqual([asked("unlocked"), asked("locked")]));
});

it("moves a target in half degrees, within what the node takes", async () => {
  const hub = fakeHub(CONFIRMED);
  const target = { kind: "temperature", unit: "°C", decimals: 1, low: 5, high: 22, value: 21 };
  show(<Control entity={settable(target)} />);
  const higher = screen.getByRole("button", { name: "The value: higher" });
  for (let n = 0; n < 4; n++) fireEvent.click(higher);
  expect(screen.getByText("to be 22.0 °C …")).toBeTruthy();
  await waitFor(() => expect(hub).toEqual([asked("22.0 °C")]));
});

it("asks for a target also when its page is left at once", async () => {
  const hub = fakeHub(CONFIRMED);
  const target = { kind: "temperature", unit: "°C", decimals: 1, low: 5, high: 30, value: 21 };
  const { unmount } = show(<Control entity={settable(target)} />);
  fireEvent.click(screen.getByRole("button", { name: "The value: lower" }));
  unmount();
  await waitFor(() => expect(hub).toEqual([asked("20.5 °C")]));
});

it("opens and closes a blind", async () => {
  const hub = fakeHub(CONFIRMED);
  show(
    <Control
      entity={settable({ kind: "position", unit: "%", decimals: 0, low: 0, high: 100, value: 40 })}
    />,
  );
  fireEvent.click(screen.getByRole("button", { name: "Open The value" }));
  await waitFor(() => expect(hub).toEqual([asked("100 %")]));
  expect(screen.getByRole("slider", { name: "The value" })).toBeTruthy();
});

it("offers nothing for what is only read, or only happens", () => {
  const { container } = show(<Control entity={entity("node/value", { kind: "level" })} />);
  expect(container.textContent).toBe("");
  show(<Control entity={settable({ kind: "press", drawn: "marks", words: ["on"] })} />);
  expect(screen.queryByRole("button")).toBeNull();
});
