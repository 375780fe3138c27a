// Every value of the house in one table, found by typing.
import { useMemo, useState } from "react";
import { Link } from "react-router";
import type { Entity } from "../../api/client";
import { useEntities, useHouse, useNodes } from "../../api/queries";
import { whose } from "../../parts/whose";
import { Await, Empty, Page } from "../../ui/parts";
import { visible } from "../../ui/visible";
import { type Place, Table } from "./Table";

export function ReadingsPage() {
  const entities = useEntities();
  const places = usePlaces(entities.data);
  const [typed, setTyped] = useState("");
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  return (
    <Page
      title="Readings"
      aside={
        <div className="flex flex-wrap items-center gap-x-6 gap-y-2">
          <Link className="text-act underline" to="/compare">
            Compare
          </Link>
          <Link className="text-act underline" to="/review">
            Look back
          </Link>
          <input
            type="search"
            aria-label="Find readings"
            placeholder="room, node, kind …"
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
            className="field max-w-64"
          />
        </div>
      }
    >
      <Await of={entities} lines={10}>
        {(all) => {
          if (all.length === 0)
            return <Empty>There are no readings yet. Let a node in first.</Empty>;
          const now = new Map(all.map((entity) => [entity.entity, entity]));
          const found = places.filter(({ entity, text }) => {
            const quality = now.get(entity)?.quality ?? "";
            return words.every((word) => text.includes(word) || quality.includes(word));
          });
          if (found.length === 0) return <Empty>Nothing matches.</Empty>;
          return <Table places={found} now={now} />;
        }}
      </Await>
    </Page>
  );
}

const order = new Intl.Collator("en");

/**
 * Where each entity stands, by room and address. Readings do not move anything: it is
 * made afresh only when names or rooms change.
 */
function usePlaces(entities: Entity[] | undefined): Place[] {
  const house = useHouse().data;
  const nodes = useNodes().data;
  const named = JSON.stringify(
    entities?.map(({ entity, node, room, title, kind }) => [entity, node, room, title, kind]) ?? [],
  );
  return useMemo(() => {
    const rooms = new Map(
      house?.floors.flatMap((f) => f.rooms).map((room) => [room.room, room.name]),
    );
    const titles = new Map(nodes?.map((node) => [node.node, node.title]));
    return (JSON.parse(named) as [string, string, string | null, string, string][])
      .map(([entity, node, at, title, kind]) => {
        const room = rooms.get(at ?? "") ?? "–";
        const of = visible(whose(entity, node, titles));
        const text = `${room} ${of} ${title} ${kind} ${entity}`.toLowerCase();
        return { entity, room, node: of, text };
      })
      .sort((a, b) => order.compare(a.room, b.room) || order.compare(a.entity, b.entity));
  }, [named, house, nodes]);
}
