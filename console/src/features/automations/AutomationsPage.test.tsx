import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, it } from "vitest";
import type { Automation } from "../../api/client";
import { entity, fakeHub, show } from "../../test-parts";
import { AutomationsPage } from "./AutomationsPage";

const made = (number: number): Automation => ({
  automation: `rule-${number}`,
  name: `Rule ${number}`,
  about: "",
  text: "",
  sentence: `Sentence ${number}.`,
  enabled: true,
  phase: "idle",
  since: null,
  due: null,
  started_at: null,
  started_lately: 0,
  watch: null,
  limit_shown: "",
  reminds: false,
  left_alone: number === 0 ? ["loft-lamp/switch"] : [],
  room: null,
  stopped: "",
  mistakes: [],
});

it("draws the first of thousands, and finds all of them", async () => {
  fakeHub({
    "GET /api/automations": { body: Array.from({ length: 450 }, (_, number) => made(number)) },
    "GET /api/sequences": { body: [] },
    "GET /api/scenes": { body: [] },
    "GET /api/entities": { body: [entity("loft-lamp/switch", { spoken: "Loft lamp" })] },
  });
  show(<AutomationsPage />);
  expect(await screen.findByText("Sentence 0.")).toBeInTheDocument();
  expect(await screen.findByText(/set by hand: Loft lamp/)).toBeInTheDocument();
  expect(screen.queryByText("Sentence 449.")).toBeNull();
  expect(screen.getByText(/^250 more/)).toBeInTheDocument();
  await userEvent.click(screen.getByRole("button", { name: "Show the next 200" }));
  expect(screen.getByText("Sentence 399.")).toBeInTheDocument();
  await userEvent.type(screen.getByLabelText("Find"), "449");
  expect(screen.getByText("Sentence 449.")).toBeInTheDocument();
  expect(screen.queryByText(/ more\./)).toBeNull();
});
