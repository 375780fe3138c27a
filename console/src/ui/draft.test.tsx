import { act, renderHook, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, it, vi } from "vitest";
import { useChange } from "../api/useChange";
import { show } from "../test-parts";
import { useDraft } from "./useDraft";

it("outlives the page, and is forgotten when it is kept", () => {
  const first = renderHook(() => useDraft("automation.dry", "old"));
  act(() => first.result.current.write("new"));
  expect(first.result.current).toMatchObject({ text: "new", base: "old", changed: true });
  first.unmount();
  const second = renderHook(() => useDraft("automation.dry", "old"));
  expect(second.result.current.text).toBe("new");
  act(() => second.result.current.settle("new"));
  second.unmount();
  const third = renderHook(() => useDraft("automation.dry", "new"));
  expect(third.result.current).toMatchObject({ text: "new", changed: false, overtaken: false });
});

it("says when what it was written over was changed elsewhere", () => {
  const { result, rerender } = renderHook(({ kept }) => useDraft("a", kept), {
    initialProps: { kept: "one" },
  });
  act(() => result.current.write("mine"));
  rerender({ kept: "two" });
  expect(result.current.overtaken).toBe(true);
  expect(result.current.base).toBe("one");
  act(() => result.current.rebase());
  expect(result.current).toMatchObject({ overtaken: false, base: "two", text: "mine" });
});

it("has the browser ask before the page is left with something unsaved", () => {
  const { result } = renderHook(() => useDraft("b", "one"));
  const leave = () => {
    const event = new Event("beforeunload", { cancelable: true });
    window.dispatchEvent(event);
    return event.defaultPrevented;
  };
  expect(leave()).toBe(false);
  act(() => result.current.write("two"));
  expect(leave()).toBe(true);
  act(() => result.current.settle("two"));
  expect(leave()).toBe(false);
});

it("does not break where nothing may be stored", () => {
  vi.spyOn(Storage.prototype, "setItem").mockImplementation(() => {
    throw new DOMException("full", "QuotaExceededError");
  });
  const { result } = renderHook(() => useDraft("c", ""));
  act(() => result.current.write("typed"));
  expect(result.current.text).toBe("typed");
  vi.restoreAllMocks();
});

function Maker({ make }: { make: () => Promise<void> }) {
  const change = useChange({ mutationFn: make });
  return (
    <button type="button" onClick={() => change.mutate()}>
      {change.isPending ? "making" : "make"}
    </button>
  );
}

it("makes a change once, however often it is pressed", async () => {
  let made = 0;
  let finish = () => {};
  const make = () => {
    made += 1;
    return new Promise<void>((done) => {
      finish = done;
    });
  };
  show(<Maker make={make} />);
  const button = screen.getByRole("button");
  button.click();
  button.click();
  await userEvent.click(button);
  expect(made).toBe(1);
  finish();
  await waitFor(() => expect(button).toHaveTextContent("make"));
  await userEvent.click(button);
  await waitFor(() => expect(made).toBe(2));
});
