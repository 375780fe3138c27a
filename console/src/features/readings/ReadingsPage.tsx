// Every value of the house in one table, found by typing.
import { memo, useMemo, useState } from "react";
import { Link } from "react-router";
import type { Entity } from "../../api/client";
import { useEntities, useHouse, useNodes } from "../../api/queries";
import { Ago, Await, Empty, Heads, Mark, Page } from "../../ui/parts";
import { visible } from "../../ui/visible";

export function ReadingsPage() {
  const entities = useEntities();
  const house = useHouse();
  const nodes = useNodes();
  const [typed, setTyped] = useState("");
  const rooms = useMemo(
    () => new Map(house.data?.floors.flatMap((f) => f.rooms).map((room) => [room.room, room.name])),
    [house.data],
  );
  const titles = useMemo(
    () => new Map(nodes.data?.map((node) => [node.node, node.title])),
    [nodes.data],
  );
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  return (
    <Page
      title="Readings"
      aside={
        <input
          type="search"
          aria-label="Find readings"
          placeholder="room, node, kind …"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          className="field max-w-64"
        />
      }
    >
      <Await of={entities} lines={10}>
        {(all) => {
          if (all.length === 0)
            return <Empty>There are no readings yet. Let a node in first.</Empty>;
          const rows = all
            .map((entity) => ({
              entity,
              room: rooms.get(entity.room ?? "") ?? "–",
              node: visible(titles.get(entity.node) ?? entity.node),
            }))
            .filter(({ entity, room, node }) => {
              const text =
                `${room} ${node} ${entity.title} ${entity.kind} ${entity.entity} ${entity.quality}`.toLowerCase();
              return words.every((word) => text.includes(word));
            })
            .sort(
              (a, b) =>
                a.room.localeCompare(b.room) || a.entity.entity.localeCompare(b.entity.entity),
            );
          if (rows.length === 0) return <Empty>Nothing matches.</Empty>;
          return (
            <div className="overflow-x-auto">
              <table className="w-full text-left">
                <Heads
                  of="All readings"
                  names={["room", "node", "value of", "now", "quality", "heard"]}
                  right={["now"]}
                  wide={["room", "quality"]}
                />
                <tbody>
                  {rows.map(({ entity, room, node }) => (
                    <Row key={entity.entity} entity={entity} room={room} node={node} />
                  ))}
                </tbody>
              </table>
            </div>
          );
        }}
      </Await>
    </Page>
  );
}

const Row = memo(function Row({
  entity,
  room,
  node,
}: {
  entity: Entity;
  room: string;
  node: string;
}) {
  return (
    <tr className="rule border-t">
      <td className="py-1.5 pr-4 max-sm:hidden">{room}</td>
      <td className="py-1.5 pr-4">{node}</td>
      <td className="pr-4">
        <Link className="text-act hover:underline" to={`/readings/${entity.entity}`}>
          {visible(entity.title)}
        </Link>
        {entity.hidden && <span className="block text-faint text-sm">hidden</span>}
      </td>
      <td data-value className="pr-4 text-right font-semibold">
        {entity.shown || "–"}
        {entity.quality !== "good" && (
          <span className="block font-normal text-sm sm:hidden">
            <Mark grave={entity.quality === "bad"}>{entity.reason}</Mark>
          </span>
        )}
      </td>
      <td className="pr-4 max-sm:hidden">
        {entity.quality === "good" ? (
          "good"
        ) : (
          <Mark grave={entity.quality === "bad"}>{entity.reason}</Mark>
        )}
      </td>
      <td>
        <Ago at={entity.heard_at} />
      </td>
    </tr>
  );
});
