import { useQuery } from "@tanstack/react-query";
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, it } from "vitest";
import { api, ask } from "../api/client";
import { fakeHub, show } from "../test-parts";
import { Await } from "./parts";
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

function InPlace() {
  const scenes = useQuery({ queryKey: ["scenes"], queryFn: () => ask(api.GET("/api/scenes")) });
  return (
    <>
      <Unread />
      <Await of={scenes}>{() => "there"}</Await>
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
  expect(await screen.findByRole("status")).toHaveTextContent("could not read all of this page");
  status = 200;
  await userEvent.click(screen.getByRole("button", { name: "Read it again" }));
  expect(await screen.findByText("2 scenes")).toBeInTheDocument();
  await waitFor(() => expect(screen.queryByRole("status")).toBeNull());
});

it("does not say again what is said in its place", async () => {
  fakeHub({ "GET /api/scenes": { status: 503, body: { detail: "the disk is full" } } });
  show(<InPlace />);
  expect(await screen.findByRole("alert")).toHaveTextContent("the disk is full");
  await new Promise((done) => setTimeout(done, 300));
  expect(screen.queryByText(/could not read all/)).toBeNull();
});

it("leaves what was asked wrongly to its place", async () => {
  fakeHub({ "GET /api/scenes": { status: 404, body: { detail: "no such" } } });
  show(<Scenes />);
  expect(await screen.findByText("0 scenes")).toBeInTheDocument();
  expect(screen.queryByRole("status")).toBeNull();
});
