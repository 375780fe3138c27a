// The pages of tiles that people have made beside the rooms', and making one.
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import * as changes from "../../api/changes";
import type { Dashboard } from "../../api/client";
import { keys, useDashboards } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Failure } from "../../ui/parts";
import { visible } from "../../ui/visible";

export function OwnDashboards() {
  const dashboards = useDashboards();
  const [title, setTitle] = useState("");
  const cache = useQueryClient();
  const navigate = useNavigate();
  const add = useChange({
    mutationFn: () => changes.addDashboard({ title: title.trim() }),
    onSuccess: (made) => {
      cache.setQueryData<Dashboard[]>(keys.dashboards, (all) => [...(all ?? []), made]);
      void navigate(`/dashboards/${made.dashboard}`);
    },
  });
  const own = dashboards.data?.filter((one) => one.room === null) ?? [];
  return (
    <section aria-labelledby="dashboards" className="mt-8">
      <h2 id="dashboards" className="mb-2 text-xl">
        Dashboards
      </h2>
      <div className="flex flex-wrap items-center gap-x-6 gap-y-3">
        {own.map((one) => (
          <Link
            key={one.dashboard}
            className="text-act underline pointer-coarse:py-2.5"
            to={`/dashboards/${one.dashboard}`}
          >
            {visible(one.title)}
          </Link>
        ))}
        <form
          className="flex min-w-0 flex-wrap items-center gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            add.mutate();
          }}
        >
          <input
            aria-label="Name of a new dashboard"
            placeholder="a new one …"
            value={title}
            required
            maxLength={60}
            onChange={(event) => setTitle(event.target.value)}
            className="field min-w-0 max-w-44"
          />
          <Button type="submit" disabled={add.isPending}>
            Make it
          </Button>
        </form>
      </div>
      {add.error && (
        <div className="mt-3">
          <Failure error={add.error} />
        </div>
      )}
    </section>
  );
}
