// Making this device one of the household's phones: asking the browser for a push
// subscription.
import * as changes from "../../api/changes";
import { api, ask } from "../../api/client";

const PATIENCE_MS = 10_000;

/** The bytes of a base64url text. */
export function bytes(base64url: string): Uint8Array<ArrayBuffer> {
  const base64 = base64url.replaceAll("-", "+").replaceAll("_", "/");
  return Uint8Array.from(atob(base64.padEnd(Math.ceil(base64.length / 4) * 4, "=")), (c) =>
    c.charCodeAt(0),
  );
}

/** Why this browser cannot take notifications; empty when it can. */
export function obstacle(): string {
  if (!window.isSecureContext)
    return "Browsers take notices only over HTTPS. Have this device trust the house first.";
  if (!("serviceWorker" in navigator) || !("PushManager" in window))
    return "This browser does not support notifications.";
  return "";
}

function withPatience<T>(work: Promise<T>, what: string): Promise<T> {
  // Without its push service the browser may never answer.
  return Promise.race([
    work,
    new Promise<never>((_, fail) => {
      window.setTimeout(() => fail(new Error(what)), PATIENCE_MS);
    }),
  ]);
}

/**
 * Ask for permission, subscribe, and tell the hub. Throws with words for the person.
 */
export async function addThisPhone(name: string) {
  const blocked = obstacle();
  if (blocked) throw new Error(blocked);
  if ((await Notification.requestPermission()) !== "granted") {
    throw new Error(
      "Notifications from this site are blocked. Allow them in the browser's settings for this site.",
    );
  }
  const { key } = await ask(api.GET("/api/phones/key"));
  const noService =
    "This browser's push service cannot be reached. It needs the internet once, to subscribe.";
  const worker = await withPatience(
    navigator.serviceWorker.ready,
    "The console's service worker did not start; load the page again.",
  );
  let subscription: PushSubscription;
  try {
    subscription = await withPatience(
      worker.pushManager.subscribe({ userVisibleOnly: true, applicationServerKey: bytes(key) }),
      noService,
    );
  } catch (error) {
    throw new Error(
      error instanceof Error && error.message === noService ? noService : `${noService} (${error})`,
    );
  }
  const { endpoint, keys } = subscription.toJSON();
  return changes.addPhone({
    name,
    endpoint: endpoint ?? "",
    keys: { p256dh: keys?.p256dh ?? "", auth: keys?.auth ?? "" },
  });
}
