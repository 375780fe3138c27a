import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, it, vi } from "vitest";
import type { EntityDetail } from "../../api/client";
import { fakeHub, show } from "../../test-parts";
import { ConditioningSection } from "./ConditioningSection";

const entity = { entity: "cellar-rack/temperature", spoken: "Rack temperature" } as EntityDetail;
const version = {
  by: "ada",
  words: ["linear offset=-0.8 gain=1"],
  made_at: 1,
  since: 0,
  steps: [],
};

it("fetches the past again where it was made again before the hub had answered", async () => {
  const was = { words: version.words, steps: [], versions: [version], progress: null };
  fakeHub({
    "GET /api/entities/cellar-rack/temperature/conditioning": { body: was },
    "DELETE /api/entities/cellar-rack/temperature/conditioning": {
      body: { ...was, words: [], versions: [] },
    },
  });
  const { cache } = show(
    <ConditioningSection
      entity={entity}
      window={{ span: "day", start: 0, end: 86_400_000 }}
      onWindow={() => {}}
    />,
    "/readings/cellar-rack/temperature",
  );
  await userEvent.click(await screen.findByRole("button", { name: /Undo the latest/ }));
  const stale = vi.spyOn(cache, "invalidateQueries");
  await userEvent.click(screen.getByRole("button", { name: "Undo" }));
  await screen.findByText(/^No steps/);
  await waitFor(() => expect(stale).toHaveBeenCalledWith({ queryKey: ["numbers"] }));
});
