/** What a value belongs to: its node; the node whose values it is computed from; the hub. */
export function whose(address: string, node: string, titles: Map<string, string>): string {
  if (node) return titles.get(node) ?? node;
  const [at = ""] = address.split("/");
  if (at === "hub") return "the hub";
  const host = titles.get(at);
  return host ? `${host}, computed` : "computed";
}
