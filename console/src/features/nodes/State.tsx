// How a node is, in a word.
import type { HubNode } from "../../api/client";
import { Mark } from "../../ui/parts";

export function State({ node }: { node: HubNode }) {
  if (node.left) return <Mark grave>has left</Mark>;
  if (node.silent) return <Mark grave>silent</Mark>;
  if (!node.here) return <Mark>away</Mark>;
  return node.link === "wifi" ? "connected" : "here";
}
