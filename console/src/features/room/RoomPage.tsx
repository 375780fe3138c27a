// A room: its tiles as they come by themselves, or as somebody has put them.
import { useQueryClient } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import * as changes from "../../api/changes";
import type { Dashboard } from "../../api/client";
import { keys, useDashboards, useEntities, useHouse } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { BoardPage } from "../../parts/board/BoardPage";
import { left, roomBoard, usualTiles } from "../../parts/board/tiles";
import { Await, Button, Empty, Failure, Page } from "../../ui/parts";
import { Derive } from "./Derive";

export function RoomPage() {
  const { room: address = "" } = useParams();
  const house = useHouse();
  const entities = useEntities();
  const dashboards = useDashboards();
  const room = house.data?.floors.flatMap((floor) => floor.rooms).find((r) => r.room === address);
  if (house.data && !room)
    return <Failure error={new Error(`There is no room ${address} in this house.`)} />;
  if (!entities.data || !dashboards.data)
    return (
      <Page title={room?.name ?? "…"} aside={<span className="text-faint">{room?.floor}</span>}>
        <Await of={entities.data ? dashboards : entities} lines={6}>
          {() => null}
        </Await>
      </Page>
    );
  const arranged = roomBoard(dashboards.data, address);
  const tiles = arranged?.tiles ?? usualTiles(entities.data, address);
  const hidden = arranged
    ? left(entities.data, tiles, address).filter((one) => !one.hidden).length
    : 0;
  return (
    <BoardPage
      key={address}
      title={room?.name ?? "…"}
      aside={<span className="text-faint">{room?.floor}</span>}
      address={`room-${address}`}
      tiles={tiles}
      room={address}
      empty={
        <Empty>
          Nothing is in this room yet.{" "}
          <Link className="text-act underline" to="/nodes">
            Let a node in
          </Link>
          .
        </Empty>
      }
      below={
        <>
          {arranged && <Arranged board={arranged} hidden={hidden} />}
          <Derive room={address} entities={entities.data} />
        </>
      }
    />
  );
}

/** That the page is the person's own, and the way back. */
function Arranged({ board, hidden }: { board: Dashboard; hidden: number }) {
  const cache = useQueryClient();
  const back = useChange({
    mutationFn: () => changes.removeDashboard(board.dashboard),
    onSuccess: () =>
      cache.setQueryData<Dashboard[]>(keys.dashboards, (all) =>
        all?.filter((one) => one.dashboard !== board.dashboard),
      ),
  });
  return (
    <div className="mt-4 flex flex-wrap items-center gap-x-4 gap-y-2 text-faint">
      <span>
        You have arranged this page.
        {hidden > 0 &&
          ` ${hidden === 1 ? "One value of this room is" : `${hidden} values of this room are`} not on it.`}
      </span>
      <Button onClick={() => back.mutate()} disabled={back.isPending}>
        Show all values again
      </Button>
      {back.error && <Failure error={back.error} />}
    </div>
  );
}
