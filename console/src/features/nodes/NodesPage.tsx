// The nodes that are in, and letting more in: the pairing window and who arrives.
import { Link } from "react-router";
import { useEntities, useHouse, useNodes } from "../../api/queries";
import { linkTitle } from "../../ui/links";
import { Ago, Await, Empty, Heads, Page } from "../../ui/parts";
import { useAnchor } from "../../ui/useAnchor";
import { visible } from "../../ui/visible";
import { AddNode } from "./AddNode";
import { Pairing } from "./Pairing";
import { State } from "./State";
import { ForeignNetwork } from "./Zigbee";

export function NodesPage() {
  const nodes = useNodes();
  useAnchor(nodes.data !== undefined);
  const house = useHouse();
  const entities = useEntities();
  const told = (node: string, ...kinds: string[]) =>
    entities.data?.find((e) => e.node === node && kinds.includes(e.kind) && e.value !== null)
      ?.shown ?? "–";
  const rooms = new Map(
    house.data?.floors.flatMap((f) => f.rooms).map((room) => [room.room, room.name]),
  );
  return (
    <Page title="Nodes">
      <ForeignNetwork />
      <Pairing />
      <AddNode />
      <h2 className="mt-10 mb-3 text-xl">In the house</h2>
      <Await of={nodes} lines={6}>
        {(found) =>
          found.length === 0 ? (
            <Empty>
              No node is in the house yet. Open pairing, and hold a node's button until it blinks.
            </Empty>
          ) : (
            <div className="overflow-x-auto">
              <table className="w-full text-left">
                <Heads
                  of="Nodes"
                  names={["name", "room", "link", "battery", "signal", "state", "heard"]}
                  wide={["room", "link", "battery", "signal"]}
                />
                <tbody>
                  {found.map((node) => (
                    <tr key={node.node} className="rule border-t">
                      <td className="py-1.5 pr-4">
                        <Link className="text-act hover:underline" to={`/nodes/${node.node}`}>
                          {visible(node.title)}
                        </Link>
                      </td>
                      <td className="pr-4 max-sm:hidden">
                        {node.room ? (rooms.get(node.room) ?? node.room) : "–"}
                      </td>
                      <td className="pr-4 max-sm:hidden">{linkTitle(node.link)}</td>
                      <td className="pr-4 max-sm:hidden">{told(node.node, "battery")}</td>
                      <td className="pr-4 max-sm:hidden">
                        {told(node.node, "signal", "reception")}
                      </td>
                      <td className="pr-4">
                        <State node={node} />
                      </td>
                      <td>
                        <Ago at={node.heard_at} />
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          )
        }
      </Await>
    </Page>
  );
}
