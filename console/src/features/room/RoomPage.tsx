// A room: its tiles, one value each.
import { useMemo } from "react";
import { Link, useParams } from "react-router";
import type { Entity } from "../../api/client";
import { useAutomations, useEntities, useHouse, useNodes } from "../../api/queries";
import type { Limit } from "../../parts/faces";
import { Tile } from "../../parts/Tile";
import { Await, Empty, Failure, Page } from "../../ui/parts";
import { Derive } from "./Derive";

const NO_LIMITS: Limit[] = [];
const ORDER = ["switch", "temperature", "humidity", "co2", "contact", "occupancy"];

function byKind(a: Entity, b: Entity): number {
  const rank = (e: Entity) => (e.kind === "battery" ? 99 : ORDER.indexOf(e.kind) + 1 || 50);
  return rank(a) - rank(b) || a.entity.localeCompare(b.entity);
}

export function RoomPage() {
  const { room: address = "" } = useParams();
  const house = useHouse();
  const entities = useEntities();
  const nodes = useNodes();
  const automations = useAutomations();
  const room = house.data?.floors.flatMap((floor) => floor.rooms).find((r) => r.room === address);
  const titles = new Map(nodes.data?.map((node) => [node.node, node.title]));
  const limits = useMemo(() => {
    const found = new Map<string, Limit[]>();
    for (const { enabled, watch } of automations.data ?? [])
      if (enabled && watch) found.set(watch.entity, [...(found.get(watch.entity) ?? []), watch]);
    return found;
  }, [automations.data]);
  if (house.data && !room)
    return <Failure error={new Error(`There is no room ${address} in this house.`)} />;
  return (
    <Page title={room?.name ?? "…"} aside={<span className="text-faint">{room?.floor}</span>}>
      <Await of={entities} lines={6}>
        {(all) => {
          const here = all
            .filter((entity) => entity.room === address && !entity.hidden)
            .sort(byKind);
          if (here.length === 0) {
            return (
              <Empty>
                Nothing is in this room yet.{" "}
                <Link className="text-act underline" to="/nodes">
                  Let a node in
                </Link>
                .
              </Empty>
            );
          }
          return (
            <>
              <ul className="grid grid-cols-[repeat(auto-fill,minmax(min(15rem,100%),1fr))] gap-4">
                {here.map((entity) => (
                  <Tile
                    key={entity.entity}
                    entity={entity}
                    nodeTitle={titles.get(entity.node) ?? (entity.node || "computed")}
                    limits={limits.get(entity.entity) ?? NO_LIMITS}
                  />
                ))}
              </ul>
              <Derive room={address} entities={all} />
            </>
          );
        }}
      </Await>
    </Page>
  );
}
