// The house for a guest: the rooms that are theirs, with what can be switched there.
import * as changes from "../../api/changes";
import type { Entity, Room } from "../../api/client";
import { useDashboards, useEntities, useHouse } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { useLive } from "../../app/useLive";
import { Board, type Known } from "../../parts/board/Board";
import { roomBoard, usualTiles } from "../../parts/board/tiles";
import { Await, Button, Empty } from "../../ui/parts";
import { Unread } from "../../ui/Unread";
import { visible } from "../../ui/visible";

export function GuestPage({ person }: { person: string }) {
  const house = useHouse();
  const entities = useEntities();
  const dashboards = useDashboards();
  const { live } = useLive();
  const leave = useChange({
    mutationFn: () => changes.signOut(),
    onSuccess: () => window.location.assign("/sign-in"),
  });
  const known: Known = {
    entities: new Map(entities.data?.map((one) => [one.entity, one])),
    titles: nodeTitles(entities.data ?? []),
    limits: new Map(),
  };
  return (
    <main className="mx-auto max-w-5xl px-4 py-6 sm:px-8">
      <header className="rule mb-8 flex flex-wrap items-baseline justify-between gap-4 border-b pb-3">
        <h1 className="text-3xl">{visible(house.data?.name ?? "…")}</h1>
        <span className="flex items-baseline gap-4">
          <span className="text-faint">Welcome, {visible(person)}</span>
          <Button onClick={() => leave.mutate(undefined)}>Sign out</Button>
        </span>
      </header>
      {live === "lost" ? (
        <p role="status" className="mb-4 text-madder">
          The hub does not answer. Trying again …
        </p>
      ) : (
        <Unread />
      )}
      <Await of={house} lines={6}>
        {({ floors }) => {
          const rooms = floors.flatMap((floor) => floor.rooms);
          if (rooms.length === 0) return <Empty>No room is open to you now.</Empty>;
          if (!entities.data || !dashboards.data)
            return (
              <Await of={entities.data ? dashboards : entities} lines={6}>
                {() => null}
              </Await>
            );
          return (
            <div className="space-y-10">
              {rooms.map((room) => (
                <TheRoom
                  key={room.room}
                  room={room}
                  known={known}
                  tiles={
                    roomBoard(dashboards.data, room.room)?.tiles ??
                    usualTiles(entities.data ?? [], room.room)
                  }
                />
              ))}
            </div>
          );
        }}
      </Await>
    </main>
  );
}

/** The names of nodes, out of how their values are spoken of: a guest does not see nodes. */
function nodeTitles(entities: Entity[]): Map<string, string> {
  const titles = new Map<string, string>();
  for (const { node, spoken, title } of entities.filter((one) => one.node)) {
    const end = spoken.length - title.length;
    const name =
      spoken.slice(end).toLowerCase() === title.toLowerCase() ? spoken.slice(0, end) : "";
    if (name.length > (titles.get(node) ?? "").length) titles.set(node, name.trim());
  }
  return titles;
}

type Tiles = ReturnType<typeof usualTiles>;

function TheRoom({ room, known, tiles }: { room: Room; known: Known; tiles: Tiles }) {
  return (
    <section aria-labelledby={`room-${room.room}`}>
      <h2 id={`room-${room.room}`} className="mb-3 text-xl">
        {visible(room.name)}
      </h2>
      {tiles.length === 0 ? (
        <p className="text-faint">Nothing is in this room yet.</p>
      ) : (
        <Board tiles={tiles} known={known} dashboard={`room-${room.room}`} />
      )}
    </section>
  );
}
