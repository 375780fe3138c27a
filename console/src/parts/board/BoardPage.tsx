// A page of tiles that can be arranged: a room's, or one of the person's own.
import { useQueryClient } from "@tanstack/react-query";
import { lazy, type ReactNode, Suspense, useState } from "react";
import { Link } from "react-router";
import * as changes from "../../api/changes";
import type { Dashboard, TileOf } from "../../api/client";
import { keys } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Page, Shape } from "../../ui/parts";
import { Board } from "./Board";
import { useKnown } from "./useKnown";

// Dragging comes with the first arrangement.
const Arrange = lazy(() => import("./Arrange").then((m) => ({ default: m.Arrange })));

export function BoardPage({
  title,
  aside,
  address,
  tiles,
  room,
  empty,
  below,
}: {
  title: string;
  aside?: ReactNode;
  address: string;
  tiles: TileOf[];
  room: string | null;
  empty: ReactNode;
  below?: ReactNode;
}) {
  const [arranging, setArranging] = useState(false);
  const known = useKnown();
  const cache = useQueryClient();
  const keep = useChange({
    mutationFn: (to: TileOf[]) => changes.arrange(address, { tiles: to }),
    onSuccess: (made) => {
      cache.setQueryData<Dashboard[]>(keys.dashboards, (all) => [
        ...(all ?? []).filter((one) => one.dashboard !== made.dashboard),
        made,
      ]);
      setArranging(false);
    },
  });
  return (
    <Page
      title={title}
      aside={
        <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
          {aside}
          {!arranging && (
            <>
              <Link className="text-act underline pointer-coarse:py-2.5" to={`/wall/${address}`}>
                On the wall
              </Link>
              <Button onClick={() => setArranging(true)}>Arrange</Button>
            </>
          )}
        </div>
      }
    >
      {arranging ? (
        <Suspense fallback={<Shape lines={6} />}>
          <Arrange
            tiles={tiles}
            known={known}
            room={room}
            busy={keep.isPending}
            error={keep.error}
            onDone={(to) => keep.mutate(to)}
            onLeave={() => {
              keep.reset();
              setArranging(false);
            }}
          />
        </Suspense>
      ) : (
        <>
          {tiles.length === 0 ? empty : <Board tiles={tiles} known={known} dashboard={address} />}
          {below}
        </>
      )}
    </Page>
  );
}
