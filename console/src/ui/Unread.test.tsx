import { useQuery } from "@tanstack/react-query";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, it } from "vitest";
import { api, ask } from "../api/client";
import { fakeHub, show } from "../test-parts";
import { Unread } from "./Unread";

function Scenes() {
  const scenes = useQuery({ queryKey: ["scenes"], queryFn: () => ask(api.GET("/api/scenes")) });
  return (
    <>
      <Unread />
      <p>{scenes.isPending ? "reading" : `${scenes.data?.length ?? 0} scenes`}</p>
    </>
  );
}

it("says that a list is missing, and reads it again when asked", async () => {
  let status = 503;
  fakeHub({
    "GET /api/scenes": () => ({
      status,
      body: status === 503 ? { detail: "disk full" } : [{}, {}],
    }),
  });
  show(<Scenes />);
  expect(await screen.findByText("0 scenes")).toBeInTheDocument();
  expect(screen.getByRole("status")).toHaveTextContent("could not read all of this page");
  status = 200;
  await userEvent.click(screen.getByRole("button", { name: "Read it again" }));
  expect(await screen.findByText("2 scenes")).toBeInTheDocument();
  expect(screen.queryByRole("status")).toBeNull();
});

it("leaves what was asked wrongly to its place", async () => {
  fakeHub({ "GET /api/scenes": { status: 404, body: { detail: "no such" } } });
  show(<Scenes />);
  expect(await screen.findByText("0 scenes")).toBeInTheDocument();
  expect(screen.queryByRole("status")).toBeNull();
});
