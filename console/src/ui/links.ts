// What people call the links.
const TITLES: Record<string, string> = { wifi: "Wi-Fi", zigbee: "Zigbee", bluetooth: "Bluetooth" };

/** A link as people write it; one of a package of its own by its name. */
export function linkTitle(link: string): string {
  return TITLES[link] ?? link.charAt(0).toUpperCase() + link.slice(1);
}
