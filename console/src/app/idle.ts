// Work for the time when nobody waits.

/** Whether this device is asked to fetch only what it needs (Save-Data, in Chromium). */
function sparing(): boolean {
  const { connection } = navigator as { connection?: { saveData?: boolean } };
  return connection?.saveData === true;
}

/** Fetch these one after the other while the browser has nothing else to do. */
export function whenIdle(...fetches: (() => Promise<unknown>)[]): void {
  const [first, ...rest] = fetches;
  if (!first || sparing()) return;
  const later =
    window.requestIdleCallback ?? ((call: () => void) => window.setTimeout(call, 2_000));
  later(() => {
    // What fails now is fetched when it is needed.
    void first()
      .catch(() => undefined)
      .then(() => whenIdle(...rest));
  });
}
