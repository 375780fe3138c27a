// What the hub is asked, and under which key the answer is kept. The live stream keeps
// the answers fresh.
import { useQuery } from "@tanstack/react-query";
import { hubTime } from "../ui/time";
import { addressParts, api, ask, type Schemas, type Span } from "./client";
import type { Asked } from "./courses";
import { notOlder } from "./readings";

export const keys = {
  session: ["session"] as const,
  house: ["house"] as const,
  entities: ["entities"] as const,
  entity: (address: string) => ["entity", address] as const,
  history: (address: string, span: Span) => ["history", address, span] as const,
  nodes: ["nodes"] as const,
  pairing: ["pairing"] as const,
  arrivals: ["arrivals"] as const,
  automations: ["automations"] as const,
  journal: ["journal"] as const,
  today: ["journal", "today"] as const,
  contacts: ["contacts"] as const,
  people: ["people"] as const,
  invitations: ["invitations"] as const,
  notices: ["notices"] as const,
  messages: ["messages"] as const,
  kinds: ["kinds"] as const,
  mqttAccounts: ["mqtt-accounts"] as const,
  tokens: ["tokens"] as const,
  browsers: ["browsers"] as const,
  doctor: ["doctor"] as const,
  dashboards: ["dashboards"] as const,
  scenes: ["scenes"] as const,
  presence: ["presence"] as const,
  sequences: ["sequences"] as const,
  zigbee: ["zigbee"] as const,
  settings: (node: string) => ["settings", node] as const,
  conditioning: (address: string) => ["conditioning", address] as const,
  profile: (node: string) => ["profile", node] as const,
};

export const useScenes = () =>
  useQuery({ queryKey: keys.scenes, queryFn: () => ask(api.GET("/api/scenes")) });

export const useSequences = () =>
  useQuery({ queryKey: keys.sequences, queryFn: () => ask(api.GET("/api/sequences")) });

export const usePresence = () =>
  useQuery({ queryKey: keys.presence, queryFn: () => ask(api.GET("/api/presence")) });

export const useHouse = () =>
  useQuery({
    queryKey: keys.house,
    queryFn: async () => {
      const house = await ask(api.GET("/api/house"));
      hubTime.zone = house.time_zone;
      return house;
    },
    // What waits for the disk, or has met a fault, may stand for long.
    refetchInterval: (query) => {
      const jobs = query.state.data?.jobs ?? [];
      return jobs.some((job) => !job.problem) ? 1_000 : jobs.length ? 10_000 : false;
    },
  });

export const useEntities = () =>
  useQuery({
    queryKey: keys.entities,
    queryFn: async () => (await ask(api.GET("/api/entities"))).map(notOlder),
  });

export const useEntity = (address: string) =>
  useQuery({
    queryKey: keys.entity(address),
    queryFn: async () =>
      notOlder(
        await ask(
          api.GET("/api/entities/{node}/{name}", { params: { path: addressParts(address) } }),
        ),
      ),
  });

/** How something with states stood; asked again when it stands otherwise. */
export const useStretches = (address: string, when: Asked, value: number | null) =>
  useQuery({
    queryKey: ["stretches", address, when, value],
    queryFn: () =>
      ask(
        api.GET("/api/entities/{node}/{name}/stretches", {
          params: { path: addressParts(address), query: when },
        }),
      ),
    staleTime: 20_000,
    refetchInterval: 60_000,
    placeholderData: (before) => before,
  });

export const useDashboards = () =>
  useQuery({ queryKey: keys.dashboards, queryFn: () => ask(api.GET("/api/dashboards")) });

export const useNodes = () =>
  useQuery({ queryKey: keys.nodes, queryFn: () => ask(api.GET("/api/nodes")) });

export const usePairing = () =>
  useQuery({ queryKey: keys.pairing, queryFn: () => ask(api.GET("/api/pairing")) });

export const useArrivals = () =>
  useQuery({ queryKey: keys.arrivals, queryFn: () => ask(api.GET("/api/arrivals")) });

export const useAutomations = () =>
  useQuery({ queryKey: keys.automations, queryFn: () => ask(api.GET("/api/automations")) });

export const useToday = (since: number) =>
  useQuery({
    queryKey: [...keys.today, since],
    queryFn: () => ask(api.GET("/api/journal", { params: { query: { since, limit: 500 } } })),
  });

export const useInvitations = () =>
  useQuery({ queryKey: keys.invitations, queryFn: () => ask(api.GET("/api/invitations")) });
export const usePeople = () =>
  useQuery({ queryKey: keys.people, queryFn: () => ask(api.GET("/api/people")) });

export const useContacts = () =>
  useQuery({ queryKey: keys.contacts, queryFn: () => ask(api.GET("/api/contacts")) });

export const useLoudspeakers = () =>
  useQuery({ queryKey: ["loudspeakers"], queryFn: () => ask(api.GET("/api/loudspeakers")) });

export const useNotices = () =>
  useQuery({ queryKey: keys.notices, queryFn: () => ask(api.GET("/api/notices")) });

/** Whether a person can choose a kind: the words of a choice come from its node alone. */
export const canBeChosen = (kind: Schemas["KindOfEntity"]) =>
  !kind.own_words || kind.words !== null;

export const useKinds = () =>
  useQuery({
    queryKey: keys.kinds,
    queryFn: () => ask(api.GET("/api/kinds")),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** The sorts of steps. */
export const useSteps = () =>
  useQuery({
    queryKey: ["steps"],
    queryFn: () => ask(api.GET("/api/steps")),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** The ways to compute a value. */
export const useMethods = () =>
  useQuery({
    queryKey: ["methods"],
    queryFn: () => ask(api.GET("/api/methods")),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useMqttAccounts = () =>
  useQuery({ queryKey: keys.mqttAccounts, queryFn: () => ask(api.GET("/api/mqtt-accounts")) });

export const useTokens = () =>
  useQuery({ queryKey: keys.tokens, queryFn: () => ask(api.GET("/api/tokens")) });

export const useReleases = () =>
  useQuery({
    queryKey: ["releases"],
    queryFn: () => ask(api.GET("/api/releases")),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useBrowsers = () =>
  useQuery({ queryKey: keys.browsers, queryFn: () => ask(api.GET("/api/browsers")) });

export const useDoctor = () =>
  useQuery({ queryKey: keys.doctor, queryFn: () => ask(api.GET("/api/doctor")) });

export const useZigbee = () =>
  useQuery({ queryKey: keys.zigbee, queryFn: () => ask(api.GET("/api/zigbee")) });

/** How an entity's values are conditioned; asked again while its past is being made. */
export const useConditioning = (address: string) =>
  useQuery({
    queryKey: keys.conditioning(address),
    queryFn: () =>
      ask(
        api.GET("/api/entities/{node}/{name}/conditioning", {
          params: { path: addressParts(address) },
        }),
      ),
    refetchInterval: (query) => (query.state.data?.progress != null ? 500 : false),
  });

/** A node's own settings, as it tells them now. */
export const useSettings = (node: string) =>
  useQuery({
    queryKey: keys.settings(node),
    queryFn: () => ask(api.GET("/api/nodes/{node}/settings", { params: { path: { node } } })),
  });
