// How a node is, in a word, and what the word means on hover.
import type { ReactNode } from "react";
import type { HubNode } from "../../api/client";
import { Mark } from "../../ui/parts";

/** docs/nodes.md explains the same words. */
const MEANS = {
  left: "It has left the house by itself: it was reset, or let into another house.",
  refuses: "It wants another secret than the one that the hub knows.",
  silent: "Nothing was heard for three times as long as is usual for it.",
  away: "It has no connection to the hub now. What it sleeps through waits for it.",
  connected: "Its connection to the hub stands.",
  here: "It is heard as often as is usual for it. It keeps no connection that could stand.",
};

export function State({ node }: { node: HubNode }) {
  const [word, shown] = look(node);
  return <span title={MEANS[word]}>{shown}</span>;
}

function look(node: HubNode): [keyof typeof MEANS, ReactNode] {
  if (node.left)
    return [
      "left",
      <Mark key="left" grave>
        has left
      </Mark>,
    ];
  if (node.shut_out)
    return [
      "refuses",
      <Mark key="refuses" grave>
        refuses the hub
      </Mark>,
    ];
  if (node.silent)
    return [
      "silent",
      <Mark key="silent" grave>
        silent
      </Mark>,
    ];
  if (!node.here) return ["away", <Mark key="away">away</Mark>];
  return node.link === "wifi" ? ["connected", "connected"] : ["here", "here"];
}
