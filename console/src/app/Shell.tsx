// The frame around every page: the places, the palette, and the line that says when the
// connection is lost.
import { Search } from "lucide-react";
import { lazy, type ReactNode, Suspense, useEffect, useRef, useState } from "react";
import { NavLink, useLocation, useNavigate } from "react-router";
import { useHouse } from "../api/queries";
import { ago, useNow } from "../ui/time";
import { Unread } from "../ui/Unread";
import { Boundary } from "./Boundary";
import { keepFocus } from "./keepFocus";
import { ThumbBar } from "./ThumbBar";
import { useLive } from "./useLive";

export const fetchPalette = () => import("./Palette");
const Palette = lazy(() => fetchPalette().then((m) => ({ default: m.Palette })));

const PLACES = [
  ["/", "House"],
  ["/nodes", "Nodes"],
  ["/automations", "Automations"],
  ["/readings", "Readings"],
  ["/messages", "Messages"],
  ["/journal", "Journal"],
  ["/notices", "Notices"],
  ["/people", "People"],
  ["/settings", "Settings"],
] as const;

export function Shell({ person, children }: { person: string; children: ReactNode }) {
  const navigate = useNavigate();
  const here = useLocation();
  const main = useRef<HTMLElement>(null);
  const { live, lostAt } = useLive();
  const [finding, setFinding] = useState(false);
  const house = useHouse();

  useEffect(() => {
    function onKey(event: KeyboardEvent) {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
        event.preventDefault();
        setFinding(true);
      }
    }
    function onWorker(event: MessageEvent) {
      if (typeof event.data?.open === "string") void navigate(event.data.open);
    }
    window.addEventListener("keydown", onKey);
    navigator.serviceWorker?.addEventListener("message", onWorker);
    return () => {
      window.removeEventListener("keydown", onKey);
      navigator.serviceWorker?.removeEventListener("message", onWorker);
    };
  }, [navigate]);

  useEffect(() => keepFocus(), []);

  const name = house.data?.name ?? "Hombi";
  // The page's own heading is the tab's title, also when it comes a moment later.
  useEffect(() => {
    const target = main.current;
    if (!target) return;
    const retitle = () => {
      const heading = target.querySelector("h1")?.textContent;
      document.title = heading && heading !== name ? `${heading} · ${name}` : name;
    };
    retitle();
    const changed = new MutationObserver(retitle);
    changed.observe(target, { childList: true, subtree: true, characterData: true });
    return () => changed.disconnect();
  }, [name]);

  return (
    <>
      <a
        href="#main"
        className="sr-only focus:not-sr-only focus:absolute focus:z-30 focus:bg-act focus:p-2 focus:text-on-act"
      >
        Skip to the page
      </a>
      {live === "lost" && <LostLine since={lostAt} />}
      <div className="mx-auto max-w-7xl px-4 pb-24 sm:px-8 sm:pb-16">
        <header className="rule mb-8 flex flex-wrap items-baseline gap-x-6 gap-y-1 border-b py-3 print:hidden">
          <span className="font-serif font-semibold text-lg">{name}</span>
          <nav aria-label="Places" className="flex flex-wrap gap-x-5 gap-y-1 max-sm:hidden">
            {PLACES.map(([path, label]) => (
              <NavLink
                key={path}
                to={path}
                end={path === "/"}
                className="border-transparent border-b-2 py-0.5 text-act aria-[current=page]:border-act aria-[current=page]:text-ink"
              >
                {label}
              </NavLink>
            ))}
          </nav>
          <button
            type="button"
            onClick={() => setFinding(true)}
            className="ml-auto inline-flex min-h-9 items-center gap-2 text-act pointer-coarse:min-h-11"
            title={`Signed in as ${person}`}
          >
            <Search aria-hidden className="size-4" />
            Go to{" "}
            <kbd className="hidden rounded-sm border border-rule px-1 text-faint text-xs sm:inline">
              Ctrl K
            </kbd>
          </button>
        </header>
        <main
          id="main"
          ref={main}
          tabIndex={-1}
          data-old={live === "lost" ? "" : undefined}
          className="outline-none"
        >
          {live !== "lost" && <Unread />}
          {children}
        </main>
      </div>
      <ThumbBar />
      {finding && (
        <Boundary place={here.pathname}>
          <Suspense>
            <Palette close={() => setFinding(false)} />
          </Suspense>
        </Boundary>
      )}
    </>
  );
}

function LostLine({ since }: { since: number }) {
  const now = useNow();
  return (
    <div
      role="status"
      className="sticky top-0 z-10 border-madder border-t-4 bg-paper px-4 text-center text-madder text-sm"
    >
      The hub does not answer; what you see is from {ago(since, now)}. Trying again …
    </div>
  );
}
