import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, it } from "vitest";
import type { HubNode } from "../../api/client";
import { keys } from "../../api/queries";
import { fakeHub, show } from "../../test-parts";
import { Profile } from "./Profile";

const node = { node: "herb-probe", title: "Herb probe", link: "zigbee" } as HubNode;
const path = "/data/profiles/soil.toml";

it("keeps what is being written while the node goes on speaking", async () => {
  Element.prototype.scrollIntoView = () => {};
  let last = 680;
  const asked = fakeHub({
    "GET /api/nodes/herb-probe/profile": () => ({
      body: { path, text: `# it was ${last++}\n`, unnamed: 1 },
    }),
    "PUT /api/nodes/herb-probe/profile": (body) => ({
      body: { path, text: (body as { text: string }).text, unnamed: 0 },
    }),
  });
  const { cache } = show(<Profile node={node} />, "/nodes/herb-probe?profile");
  const area = await screen.findByRole("textbox", { name: "The profile's text" });
  const use = screen.getByRole("button", { name: "Use it" });
  expect(area).toHaveValue("# it was 680\n");
  expect(use).toBeDisabled();
  await userEvent.type(area, "mine");
  await cache.invalidateQueries({ queryKey: keys.profile("herb-probe") });
  await waitFor(() => expect(last).toBe(682));
  expect(screen.getByRole("textbox")).toHaveValue("# it was 680\nmine");
  await userEvent.click(use);
  await waitFor(() =>
    expect(asked.find((one) => one.what.startsWith("PUT"))?.body).toEqual({
      text: "# it was 680\nmine",
    }),
  );
});

it("says nothing of names that it does not know", async () => {
  fakeHub({
    "GET /api/nodes/herb-probe/profile": {
      status: 409,
      body: { detail: "it is not in the network" },
    },
  });
  show(<Profile node={node} />, "/nodes/herb-probe?profile");
  expect(await screen.findByText("it is not in the network")).toBeInTheDocument();
  expect(screen.queryByText("Everything that it says has a name.")).not.toBeInTheDocument();
});
