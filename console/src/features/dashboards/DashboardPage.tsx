// A page of tiles beside those of the rooms.
import { useQueryClient } from "@tanstack/react-query";
import { useNavigate, useParams } from "react-router";
import * as changes from "../../api/changes";
import { keys, useDashboards } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { BoardPage } from "../../parts/board/BoardPage";
import { Asked } from "../../ui/Asked";
import { Await, Empty, Failure } from "../../ui/parts";

export function DashboardPage() {
  const { dashboard = "" } = useParams();
  const dashboards = useDashboards();
  const cache = useQueryClient();
  const navigate = useNavigate();
  const remove = useChange({
    mutationFn: () => changes.removeDashboard(dashboard),
    onSuccess: () => {
      void cache.invalidateQueries({ queryKey: keys.dashboards });
      void navigate("/");
    },
  });
  return (
    <Await of={dashboards} lines={6}>
      {(all) => {
        const found = all.find((one) => one.dashboard === dashboard);
        if (!found)
          return <Failure error={new Error(`There is no dashboard ${dashboard} in this house.`)} />;
        return (
          <BoardPage
            key={dashboard}
            title={found.title}
            address={dashboard}
            tiles={found.tiles}
            room={null}
            empty={<Empty>Nothing is on this page yet. Press Arrange to put tiles on it.</Empty>}
            below={
              <div className="mt-8">
                <Asked
                  title={`Remove ${found.title}?`}
                  yes="Remove"
                  label={`Remove ${found.title}`}
                  busy={remove.isPending}
                  error={remove.error}
                  onYes={() => remove.mutate()}
                >
                  <p>The page goes. The values that it shows stay.</p>
                </Asked>
              </div>
            }
          />
        );
      }}
    </Await>
  );
}
