import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";
import { entity, fakeHub, show } from "../test-parts";
import { LevelControl } from "./LevelControl";

const lamp = entity("lamp/level", {
  kind: "level",
  unit: "%",
  value: 100,
  writable: true,
  spoken: "Loft lamp level",
});
const ASK = "POST /api/entities/lamp/level/command";

it("asks once the slider is let go, and says when it was not done", async () => {
  const asked = fakeHub({
    [ASK]: { body: { state: "unreachable", problem: "there is no route to it" } },
  });
  show(<LevelControl entity={lamp} />);
  const slider = screen.getByRole("slider", { name: "Loft lamp level" });
  fireEvent.change(slider, { target: { value: "40" } });
  expect(asked).toEqual([]);
  expect(screen.getByText("to be 40 % …")).toBeTruthy();
  fireEvent.pointerUp(slider);
  await waitFor(() => screen.getByText("not done: there is no route to it"));
  expect(asked).toEqual([{ what: ASK, body: { to: "40 %" } }]);
  expect((slider as HTMLInputElement).value).toBe("100");
});
