// What the palette offers, and what of it fits what was typed.
import type { Automation, Entity, Floor, HubNode } from "../api/client";

export interface Choice {
  key: string;
  label: string;
  what: string;
  path: string;
  command?: { entity: string; to: string };
  duty?: { automation: string; enabled: boolean };
}

/** What else people look for, beside places and things. */
const DEEDS: [string, string][] = [
  ["Let a node in (pairing)", "/nodes#pairing"],
  ["Add or rename a room", "/settings#rooms"],
  ["Take notifications here", "/notices"],
  ["First steps", "/first-steps"],
  ["Sign out", "/settings#hub"],
];

const PAGES: [string, string][] = [
  ["House", "/"],
  ["Nodes", "/nodes"],
  ["Automations", "/automations"],
  ["New automation", "/automations/new"],
  ["Readings", "/readings"],
  ["Compare", "/compare"],
  ["Look back", "/review"],
  ["Messages", "/messages"],
  ["Journal", "/journal"],
  ["Notices", "/notices"],
  ["People", "/people"],
  ["Settings", "/settings"],
];

export function choices(
  floors: Floor[],
  nodes: HubNode[],
  entities: Entity[],
  automations: Automation[],
): Choice[] {
  return [
    ...floors.flatMap((floor) =>
      floor.rooms.map((room) => ({
        key: `room ${room.room}`,
        label: room.name,
        what: "room",
        path: `/rooms/${room.room}`,
      })),
    ),
    ...entities
      .filter((entity) => entity.writable && entity.kind === "switch")
      .map((entity) => {
        const to = entity.value === 1 ? "off" : "on";
        return {
          key: `switch ${entity.entity}`,
          label: `${entity.spoken}: switch ${to}`,
          what: `is ${entity.shown || "unknown"}`,
          path: "",
          command: { entity: entity.entity, to },
        };
      }),
    ...DEEDS.map(([label, path]) => ({ key: path, label, what: "to do", path })),
    ...PAGES.map(([label, path]) => ({ key: path, label, what: "page", path })),
    ...entities.map((entity) => ({
      key: entity.entity,
      label: entity.spoken,
      what: entity.shown,
      path: `/readings/${entity.entity}`,
    })),
    ...nodes.map((node) => ({
      key: `rename ${node.node}`,
      label: `${node.title}: rename or move`,
      what: "node",
      path: `/nodes/${node.node}#place`,
    })),
    ...nodes.map((node) => ({
      key: `node ${node.node}`,
      label: node.title,
      what: "node",
      path: `/nodes/${node.node}`,
    })),
    ...automations.map((a) => ({
      key: `duty ${a.automation}`,
      label: `${a.name}: ${a.enabled ? "take off" : "put on"} duty`,
      what: a.enabled ? "is on duty" : "is off duty",
      path: "",
      duty: { automation: a.automation, enabled: !a.enabled },
    })),
    ...automations.map((a) => ({
      key: `a ${a.automation}`,
      label: a.name,
      what: "automation",
      path: `/automations/${a.automation}`,
    })),
  ];
}

/** The choices in which every typed word stands, those that begin with it first. */
export function matching(all: Choice[], typed: string): Choice[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const rank = (choice: Choice) =>
    words[0] && choice.label.toLowerCase().startsWith(words[0]) ? 0 : 1;
  return all
    .filter((choice) =>
      words.every((word) => `${choice.label} ${choice.what}`.toLowerCase().includes(word)),
    )
    .sort((a, b) => rank(a) - rank(b));
}
