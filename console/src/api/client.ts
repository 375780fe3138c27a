// The typed way to the hub. Types come from its OpenAPI schema.
import createClient from "openapi-fetch";
import { hubTime } from "../ui/time";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type House = Schemas["House"];
export type Sequence = Schemas["Sequence"];
export type Presence = Schemas["Presence"];
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
export type Replay = Schemas["Replay"];
export type Account = Schemas["Account"];
export type Mistake = Schemas["Mistake"];
export type Threshold = Schemas["ThresholdRequest"];
export type JournalEntry = Schemas["JournalEntry"];
export type JournalPage = Schemas["JournalPage"];
export type Contact = Schemas["Contact"];
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
export type MqttAccount = Schemas["MqttAccount"];
export type Check = Schemas["Check"];
export type Dashboard = Schemas["Dashboard"];
export type TileOf = Schemas["Tile"];
export type Review = Schemas["Review"];
export type ReviewedKind = Schemas["ReviewedKind"];
export type Span = "hour" | "day" | "week" | "month" | "year";
export type Earlier = "day" | "week" | "month" | "year";

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

/** Over HTTPS the cookie has a name that no page in the clear can take. */
export function csrfToken(
  cookies: string = document.cookie,
  secure = window.location.protocol === "https:",
): string {
  const name = secure ? "__Host-csrftoken=" : "csrftoken=";
  const found = cookies.split(/;\s*/).find((one) => one.startsWith(name));
  return found?.slice(name.length) ?? "";
}

/** Since when what is shown was not fetched again: the device kept it while the hub was away. */
export const age = {
  since: 0,
  kept(at: number) {
    if (!age.since || at < age.since) age.since = at;
  },
};

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

/** How long a question may take, and a change: that one waits for a node's word. */
const READ_MS = 10_000;
const CHANGE_MS = 30_000;

async function limited(request: Request): Promise<Response> {
  const asks = request.method === "GET";
  const limit = AbortSignal.timeout(asks ? READ_MS : CHANGE_MS);
  try {
    // Looked up at each call, so that it can be replaced.
    return await globalThis.fetch(request, {
      signal: AbortSignal.any([request.signal, limit]),
    });
  } catch (error) {
    throw unanswered(error, asks);
  }
}

export const api = createClient<paths>({ baseUrl: window.location.origin, fetch: limited });
api.use({
  onRequest({ request }) {
    if (request.method !== "GET") {
      request.headers.set("X-CSRFToken", csrfToken());
      // Sent twice, it is done once.
      request.headers.set("Idempotency-Key", submission());
    }
    return request;
  },
  onResponse({ response }) {
    const kept = response.headers.get("Hombi-Kept");
    // The device wrote it down by its own clock; ages are counted by the hub's.
    if (kept) age.kept(Number(kept) + hubTime.aheadMs);
    else position.heard(response.headers.get("Hombi-Live"));
  },
});

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** A name for one change: by it the hub knows a second press from a second wish. */
function submission(): string {
  const digits = crypto.getRandomValues(new Uint8Array(12));
  return Array.from(digits, (one) => one.toString(16).padStart(2, "0")).join("");
}

/** What is said of a request without an answer; a change is dropped, never sent later. */
function unanswered(error: unknown, asks: boolean): unknown {
  const name = (error as { name?: string }).name;
  if (name === "AbortError") return error;
  if (name === "TimeoutError")
    return new HubError(
      0,
      asks
        ? "The hub is there, but does not answer in time. It may be busy, or hang."
        : "The hub did not answer in time. Look whether it was done before you try again.",
    );
  const sent = asks ? "" : "Not sent. ";
  if (navigator.onLine === false) return new HubError(0, `${sent}This device is offline.`);
  return new HubError(
    0,
    `${sent}The hub does not answer. Is it running, and are you in its network?`,
  );
}

const NOT_THE_HUB =
  "Something answers that is not the hub, perhaps the sign-in page of this network. Open it in another tab.";

/** The answer of a call, or a HubError. */
export async function ask<T>(call: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await call;
  } catch (error) {
    // An answer that is not JSON where one was promised.
    throw error instanceof SyntaxError ? new HubError(0, NOT_THE_HUB) : error;
  }
  if (answer.response.ok) {
    const type = answer.response.headers.get("Content-Type") ?? "json";
    if (answer.response.status === 204 || type.includes("json")) return answer.data as T;
    throw new HubError(0, NOT_THE_HUB);
  }
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

/**
 * Send a file to the hub. It may take its time, and sent twice it is taken once: what is
 * there already is left out.
 */
export async function sendFile<T>(path: string, body: Blob): Promise<T> {
  let response: Response;
  try {
    response = await globalThis.fetch(path, {
      method: "POST",
      body,
      headers: { "Content-Type": "text/csv", "X-CSRFToken": csrfToken() },
    });
  } catch (error) {
    throw unanswered(error, false);
  }
  const answer: Answer<T> = { response };
  const said = await response.json().catch(() => undefined);
  return ask(Promise.resolve(response.ok ? { ...answer, data: said } : { ...answer, error: said }));
}
