// What the hub is asked, and under which key the answer is kept. The live stream keeps the answers fresh.
import { useQuery } from "@tanstack/react-query";
import { addressParts, api, ask, type Span } from "./client";

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
  phones: ["phones"] as const,
  notices: ["notices"] as const,
};

export const useHouse = () => useQuery({ queryKey: keys.house, queryFn: () => ask(api.GET("/api/house")) });

export const useEntities = () => useQuery({ queryKey: keys.entities, queryFn: () => ask(api.GET("/api/entities")) });

export const useEntity = (address: string) =>
  useQuery({
    queryKey: keys.entity(address),
    queryFn: () => ask(api.GET("/api/entities/{node}/{name}", { params: { path: addressParts(address) } })),
  });

export const useHistory = (address: string, span: Span, points = 600) =>
  useQuery({
    queryKey: [...keys.history(address, span), points],
    queryFn: () =>
      ask(
        api.GET("/api/entities/{node}/{name}/history", {
          params: { path: addressParts(address), query: { span, points } },
        }),
      ),
    staleTime: 20_000,
    refetchInterval: span === "hour" ? 15_000 : 60_000,
  });

export const useNodes = () => useQuery({ queryKey: keys.nodes, queryFn: () => ask(api.GET("/api/nodes")) });

export const usePairing = () => useQuery({ queryKey: keys.pairing, queryFn: () => ask(api.GET("/api/pairing")) });

export const useArrivals = () => useQuery({ queryKey: keys.arrivals, queryFn: () => ask(api.GET("/api/arrivals")) });

export const useAutomations = () =>
  useQuery({ queryKey: keys.automations, queryFn: () => ask(api.GET("/api/automations")) });

export const useToday = (since: number) =>
  useQuery({
    queryKey: [...keys.today, since],
    queryFn: () => ask(api.GET("/api/journal", { params: { query: { since, limit: 500 } } })),
  });

export const usePhones = () => useQuery({ queryKey: keys.phones, queryFn: () => ask(api.GET("/api/phones")) });

export const useNotices = () => useQuery({ queryKey: keys.notices, queryFn: () => ask(api.GET("/api/notices")) });
