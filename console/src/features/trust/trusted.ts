// Whether this device takes the hub's certificate: the browser itself says so, by what it lets
// happen.

const PATIENCE_MS = 6_000;

export type Trusted = "yes" | "no" | "unknown";

/**
 * Over HTTP: whether a request over HTTPS comes through. Over HTTPS: whether the browser
 * takes the service worker, which it refuses where a person has waved a warning away.
 */
export async function trusted(secure: string): Promise<Trusted> {
  if (window.location.protocol === "https:") {
    if (!("serviceWorker" in navigator)) return "unknown";
    try {
      await navigator.serviceWorker.register("/sw.js");
      return "yes";
    } catch {
      return "no";
    }
  }
  if (!secure) return "unknown";
  try {
    // The answer cannot be read from here; that one comes is all that is asked.
    await globalThis.fetch(`${secure}/api/health`, {
      mode: "no-cors",
      cache: "no-store",
      signal: AbortSignal.timeout(PATIENCE_MS),
    });
    return "yes";
  } catch {
    return "no";
  }
}

/** Where the console is over HTTPS, under the name by which this page was reached. */
export function secureHere(secure: string): string {
  if (!secure) return "";
  const port = new URL(secure).port;
  return `https://${window.location.hostname}${port ? `:${port}` : ""}`;
}
