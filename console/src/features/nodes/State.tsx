// How a node is, in a word, and what the word means on hover.
import type { ReactNode } from "react";
import type { HubNode } from "../../api/client";
import { Mark } from "../../ui/parts";

/** docs/nodes.md explains the same words. */
const MEANS = {
  left: "The node left: it was reset, or let into another house.",
  refuses: "The node no longer accepts the hub’s secret.",
  silent: "Nothing heard for three times the usual interval.",
  away: "It has no connection to the hub now. Commands wait for it if it sleeps.",
  connected: "The node and the hub reach each other.",
  here: "The hub hears it at its usual intervals. It keeps no open connection.",
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
