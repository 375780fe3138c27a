// The typed way to the hub. Types come from its OpenAPI schema.
import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type House = Schemas["House"];
export type Floor = Schemas["Floor"];
export type Room = Schemas["Room"];
export type Entity = Schemas["Entity"];
export type EntityDetail = Schemas["EntityDetail"];
export type HubNode = Schemas["Node"];
export type History = Schemas["History"];
export type Arrival = Schemas["Arrival"];
export type PairingWindow = Schemas["Window"];
export type Automation = Schemas["Automation"];
export type Checked = Schemas["Checked"];
export type Mistake = Schemas["Mistake"];
export type Threshold = Schemas["ThresholdRequest"];
export type JournalEntry = Schemas["JournalEntry"];
export type JournalPage = Schemas["JournalPage"];
export type Phone = Schemas["Phone"];
export type Notice = Schemas["Notice"];
export type Command = Schemas["Command"];
export type Message = Schemas["Message"];
export type MessageDetail = Schemas["MessageDetail"];
export type Picking = Schemas["PickingRequest"];
export type Previewed = Schemas["Previewed"];
export type Kind = Schemas["KindOfEntity"];
export type Setting = Schemas["Setting"];
export type NodeAction = Schemas["NodeAction"];
export type NodeKey = Schemas["NodeKey"];
export type NodeProfile = Schemas["NodeProfile"];
export type Tool = Schemas["Tool"];
export type Check = Schemas["Check"];
export type Span = "hour" | "day" | "week" | "month";

/**
 * The hub said no. `message` says what and what to do; `status` 0 means that it did not
 * answer.
 */
export class HubError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly mistakes: Mistake[] = [],
  ) {
    super(message);
  }
}

export function csrfToken(cookies: string = document.cookie): string {
  return /(?:^|;\s*)csrftoken=([^;]*)/.exec(cookies)?.[1] ?? "";
}

/**
 * Where the live stream stood when the first answer was made: whoever follows it from
 * there misses nothing, and needs to fetch nothing twice.
 */
export const position = {
  first: "",
  heard(here: string | null) {
    this.first ||= here ?? "";
  },
};

export const api = createClient<paths>({
  baseUrl: window.location.origin,
  // Looked up at each call, so that it can be replaced.
  fetch: (request) => globalThis.fetch(request),
});
api.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrfToken());
    return request;
  },
  onResponse({ response }) {
    position.heard(response.headers.get("Hombi-Live"));
  },
});

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** The answer of a call, or a HubError. */
export async function ask<T>(call: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await call;
  } catch {
    throw new HubError(0, "The hub does not answer. Is it running, and are you in its network?");
  }
  if (answer.response.ok) return answer.data as T;
  const problem = (answer.error ?? {}) as { detail?: string; mistakes?: Mistake[] };
  throw new HubError(
    answer.response.status,
    problem.detail ?? `The hub answered ${answer.response.status}.`,
    problem.mistakes,
  );
}

/** An entity's address taken apart, as its paths want it. */
export function addressParts(address: string): { node: string; name: string } {
  const [node = "", name = ""] = address.split("/");
  return { node, name };
}
