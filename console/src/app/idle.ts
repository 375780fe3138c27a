// Work for the time when nobody waits.

/** Fetch these one after the other while the browser has nothing else to do. */
export function whenIdle(...fetches: (() => Promise<unknown>)[]): void {
  const [first, ...rest] = fetches;
  if (!first) return;
  const later =
    window.requestIdleCallback ?? ((call: () => void) => window.setTimeout(call, 2_000));
  later(() => {
    // What fails now is fetched when it is needed.
    void first()
      .catch(() => undefined)
      .then(() => whenIdle(...rest));
  });
}
