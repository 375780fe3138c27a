// What is shown in place of a part of the page that failed, or that could not be fetched.
import { Component, type ReactNode, useEffect, useState } from "react";
import { Button } from "../ui/parts";

/** Whether a part of the program could not be fetched: the hub is away, or was upgraded. */
export function notFetched(error: unknown): boolean {
  return error instanceof Error && /import|module script|dynamically|preload/i.test(error.message);
}

interface Props {
  children: ReactNode;
  /** What the page is: another one is another try. */
  place: string;
}

export class Boundary extends Component<Props, { error: unknown; place: string }> {
  state = { error: null as unknown, place: this.props.place };

  static getDerivedStateFromError(error: unknown) {
    return { error };
  }

  static getDerivedStateFromProps(props: Props, state: { place: string }) {
    return props.place === state.place ? null : { error: null, place: props.place };
  }

  render() {
    if (this.state.error === null) return this.props.children;
    if (notFetched(this.state.error)) return <Unfetched />;
    return <Broken again={() => this.setState({ error: null })} />;
  }
}

const RELOADED = "hombi.reloaded";
const PAUSES_MS = [1_000, 2_000, 4_000, 8_000, 15_000];

/** Waits until the hub answers, then loads the page again: it may be another version. */
function Unfetched() {
  const [tries, setTries] = useState(0);
  useEffect(() => {
    const pause = PAUSES_MS[Math.min(tries, PAUSES_MS.length - 1)];
    const timer = window.setTimeout(async () => {
      if (await answers()) reload();
      setTries((before) => before + 1);
    }, pause);
    return () => window.clearTimeout(timer);
  }, [tries]);
  return (
    <section role="alert" className="border-madder border-l-4 py-2 pl-4">
      <h1 className="text-2xl">A part of this page could not be fetched</h1>
      <p className="mt-2">
        The hub does not answer, or it was upgraded. This page tries again by itself.
      </p>
      <Button className="mt-4" onClick={() => window.location.reload()}>
        Load the page again
      </Button>
    </section>
  );
}

async function answers(): Promise<boolean> {
  try {
    const answer = await fetch("/api/health", {
      cache: "no-store",
      signal: AbortSignal.timeout(4_000),
    });
    return answer.ok;
  } catch {
    return false;
  }
}

/** Not twice within half a minute: a page that fails for another reason must not spin. */
function reload() {
  const last = Number(sessionStorage.getItem(RELOADED) ?? 0);
  if (Date.now() - last < 30_000) return;
  sessionStorage.setItem(RELOADED, String(Date.now()));
  window.location.reload();
}

function Broken({ again }: { again: () => void }) {
  return (
    <section role="alert" className="border-madder border-l-4 py-2 pl-4">
      <h1 className="text-2xl">This page failed</h1>
      <p className="mt-2">This is a fault in the console. The other pages still work.</p>
      <div className="mt-4 flex gap-3">
        <Button onClick={again}>Try again</Button>
        <Button onClick={() => window.location.reload()}>Load the page again</Button>
      </div>
    </section>
  );
}
