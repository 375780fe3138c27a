import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, it, vi } from "vitest";
import { HubError } from "../api/client";
import { SwitchControl } from "../parts/SwitchControl";
import { fakeHub, plug, show } from "../test-parts";
import { Await } from "./parts";

it("shows the shape of what comes, then what there is", () => {
  const { rerender } = show(<Await of={{ data: undefined, error: null }}>{() => "there"}</Await>);
  expect(screen.getByRole("status", { name: "Loading" })).toBeInTheDocument();
  rerender(<Await of={{ data: 1, error: null }}>{() => "there"}</Await>);
  expect(screen.getByText("there")).toBeInTheDocument();
});

it("says what went wrong, and tries again when asked", async () => {
  const refetch = vi.fn();
  show(
    <Await of={{ data: undefined, error: new HubError(0, "no answer"), refetch }}>
      {() => "there"}
    </Await>,
  );
  expect(screen.getByRole("alert")).toHaveTextContent("no answer");
  await userEvent.click(screen.getByRole("button", { name: "Try again" }));
  expect(refetch).toHaveBeenCalledOnce();
});

it("does not offer to try again what does not exist", () => {
  show(
    <Await of={{ data: undefined, error: new HubError(404, "no room attic") }}>
      {() => "there"}
    </Await>,
  );
  expect(screen.queryByRole("button")).toBeNull();
});

it("keeps what is known on screen when the next answer fails", () => {
  show(<Await of={{ data: 1, error: new HubError(0, "no answer") }}>{() => "there"}</Await>);
  expect(screen.getByText("there")).toBeInTheDocument();
});

const COMMAND = "POST /api/entities/plug/switch/command";

it("switches, and shows it only when the node has confirmed", async () => {
  const asked = fakeHub({ [COMMAND]: { body: { state: "confirmed", value: 1, problem: "" } } });
  show(<SwitchControl entity={plug(0)} label="Plug" />);
  const control = screen.getByRole("switch", { name: "Plug" });
  expect(control).toHaveAttribute("aria-checked", "false");
  await userEvent.click(control);
  expect(asked).toEqual([{ what: COMMAND, body: { to: "on" } }]);
  expect(control).toHaveAttribute("aria-checked", "false");
});

it("says in words what was not done", async () => {
  fakeHub({
    [COMMAND]: {
      body: { state: "unanswered", value: 1, problem: "plug did not confirm within 5 s" },
    },
  });
  show(<SwitchControl entity={plug(0)} label="Plug" />);
  await userEvent.click(screen.getByRole("switch"));
  expect(await screen.findByText(/not done: plug did not confirm/)).toBeInTheDocument();
  expect(screen.getByRole("switch")).toHaveAttribute("aria-checked", "false");
});

it("says what the hub refused", async () => {
  fakeHub({ [COMMAND]: { status: 404, body: { detail: "no entity plug/switch" } } });
  show(<SwitchControl entity={plug(1)} label="Plug" />);
  await userEvent.click(screen.getByRole("switch"));
  expect(await screen.findByText("no entity plug/switch")).toBeInTheDocument();
});
