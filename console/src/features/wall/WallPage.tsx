// A page on the wall: the time, how the house is, and its tiles very large. No
// navigation; dim at night; nothing stands still long enough to burn in. It goes on
// showing while the hub is away.
import { useEffect, useRef, useState } from "react";
import { Link, useParams } from "react-router";
import type { Entity } from "../../api/client";
import { useCourse } from "../../api/courses";
import { useAutomations, useDashboards, useEntities, useHouse } from "../../api/queries";
import { shown } from "../../api/readings";
import { useVisitor } from "../../api/role";
import { useLive } from "../../app/useLive";
import { lines } from "../../parts/board/Board";
import { Picture } from "../../parts/board/Picture";
import { roomBoard, type TileOf, usualTiles } from "../../parts/board/tiles";
import { Control } from "../../parts/Control";
import { trend } from "../../parts/trend";
import { Shape } from "../../ui/parts";
import { clock, day, hourOf, useNow } from "../../ui/time";
import { Unread } from "../../ui/Unread";
import { visible } from "../../ui/visible";
import { fitting, isNight, placeAt, sentence } from "./wall";

// What does not fit at once takes turns.
const PAGE_MS = 20_000;

export function WallPage() {
  const { dashboard = "" } = useParams();
  const house = useHouse();
  const visitor = useVisitor();
  const entities = useEntities();
  const dashboards = useDashboards();
  const automations = useAutomations();
  const { lostAt } = useLive();
  const now = useNow(1000);
  const fit = useFit();
  const frame = useRef<HTMLDivElement>(null);
  const [full, setFull] = useState(false);
  useAwake();
  useEffect(() => {
    const onChange = () => setFull(document.fullscreenElement !== null);
    document.addEventListener("fullscreenchange", onChange);
    return () => document.removeEventListener("fullscreenchange", onChange);
  }, []);
  const known = new Map(entities.data?.map((one) => [one.entity, one]));
  const board = dashboards.data?.find((one) => one.dashboard === dashboard);
  const room = dashboard.startsWith("room-") ? dashboard.slice(5) : null;
  const tiles =
    board?.tiles ??
    roomBoard(dashboards.data, room ?? "")?.tiles ??
    (room ? usualTiles(entities.data ?? [], room) : []);
  const source = board?.dashboard ?? roomBoard(dashboards.data, room ?? "")?.dashboard ?? "";
  const large = tiles.flatMap((tile, place) => expanded(tile).map((one) => ({ tile: one, place })));
  const pages = Math.max(1, Math.ceil(large.length / fit));
  const first = (Math.floor(now / PAGE_MS) % pages) * fit;
  const night = isNight(hourOf(now));
  const { x, y } = placeAt(now);
  if (!house.data || !entities.data || !dashboards.data)
    return (
      <main className="p-8">
        {lostAt === 0 && <Unread />}
        <Shape lines={6} />
      </main>
    );
  const state = sentence(
    house.data.needs,
    (automations.data ?? []).filter((one) => one.phase === "on").map((one) => one.name),
  );
  return (
    <div
      ref={frame}
      data-night={night ? "" : undefined}
      className="wall flex h-dvh flex-col overflow-hidden bg-paper p-[clamp(1rem,3vw,3rem)] text-ink data-night:brightness-50"
    >
      <main
        className="flex min-h-0 grow flex-col gap-[clamp(1rem,3vh,3rem)] transition-transform duration-1000"
        style={{ transform: `translate(${x}px, ${y}px)` }}
      >
        <header className="flex flex-wrap items-baseline justify-between gap-x-8">
          <h1 className="font-light text-[clamp(3rem,9vw,8rem)] tabular-nums leading-none">
            <time>{clock(now).slice(0, 5)}</time>
          </h1>
          <div className="text-right text-[clamp(1.1rem,2.2vw,2rem)]">
            <p className="text-faint">{day(now)}</p>
            <p role="status" className={state.grave ? "text-madder" : ""}>
              {visible(state.text)}
            </p>
          </div>
        </header>
        <ul className="grid min-h-0 grow auto-rows-fr grid-cols-[repeat(auto-fit,minmax(min(22rem,100%),1fr))] gap-x-10 gap-y-6">
          {large.slice(first, first + fit).map(({ tile, place }, n) =>
            tile.sort === "picture" ? (
              // biome-ignore lint/suspicious/noArrayIndexKey: a tile is its place
              <li key={first + n} className="rule flex min-h-40 border-t pt-4">
                <Picture
                  tile={tile}
                  entities={known}
                  large
                  source={`/api/dashboards/${source}/pictures/${place}`}
                />
              </li>
            ) : (
              // biome-ignore lint/suspicious/noArrayIndexKey: a tile is its place
              <Large key={first + n} tile={tile} entity={known.get(tile.of[0] ?? "")} />
            ),
          )}
        </ul>
      </main>
      {lostAt === 0 && <Unread />}
      <footer className="mt-4 flex items-baseline justify-between text-faint text-sm">
        {!visitor && (
          <Link to={room ? `/rooms/${room}` : `/dashboards/${dashboard}`}>Leave the wall</Link>
        )}
        {lostAt > 0 && <span role="status">as of {clock(lostAt)}</span>}
        {!full && (
          <button type="button" onClick={() => void frame.current?.requestFullscreen?.()}>
            Full screen
          </button>
        )}
      </footer>
    </div>
  );
}

/** On the wall, a tile of several values is several tiles. */
function expanded(tile: TileOf): TileOf[] {
  if (tile.of.length < 2 || tile.sort === "picture") return [tile];
  return tile.of.map((one) => ({ ...tile, sort: "value", of: [one] }));
}

function Large({ tile, entity }: { tile: TileOf; entity: Entity | undefined }) {
  if (tile.sort === "text")
    return (
      <li className="rule wrap-anywhere whitespace-pre-wrap border-t pt-4 font-serif text-[clamp(1.5rem,3vw,2.5rem)]">
        {lines(tile.text)}
      </li>
    );
  if (!entity) return null;
  const bad = entity.quality === "bad";
  return (
    <li className="rule flex min-w-0 flex-col justify-between border-t pt-4">
      <p className="wrap-anywhere text-[clamp(1.1rem,2vw,1.75rem)] text-faint">
        {visible(entity.spoken)}
        {bad && <span className="text-madder">, {entity.reason}</span>}
      </p>
      <div className="flex flex-wrap items-end justify-between gap-x-6">
        <p
          data-value
          className={`font-light text-[clamp(3rem,7vw,6.5rem)] tabular-nums leading-none ${bad ? "text-faint" : ""}`}
        >
          {shown(entity.value, entity)}
        </p>
        <Control entity={entity} />
      </div>
      {entity.drawn === "line" && <Day address={entity.entity} />}
    </li>
  );
}

function Day({ address }: { address: string }) {
  const history = useCourse(address);
  if (!history || history.at.length < 2) return <div className="h-12" />;
  return (
    <svg
      aria-hidden="true"
      viewBox="0 0 100 100"
      preserveAspectRatio="none"
      className="mt-2 block h-12 w-full text-act"
    >
      <path
        d={trend(history, []).line}
        fill="none"
        stroke="currentColor"
        strokeWidth={2}
        opacity={0.6}
        vectorEffect="non-scaling-stroke"
      />
    </svg>
  );
}

/** How many tiles fit, as large as they are. */
function useFit(): number {
  const [fit, setFit] = useState(() => fitting(window.innerWidth, window.innerHeight));
  useEffect(() => {
    const onResize = () => setFit(fitting(window.innerWidth, window.innerHeight));
    window.addEventListener("resize", onResize);
    return () => window.removeEventListener("resize", onResize);
  }, []);
  return fit;
}

/** Keeps the screen on, where the device lets a page do that. */
function useAwake() {
  useEffect(() => {
    let held: WakeLockSentinel | null = null;
    let gone = false;
    const hold = async () => {
      if (document.hidden || !("wakeLock" in navigator)) return;
      try {
        held = await navigator.wakeLock.request("screen");
        if (gone) void held.release();
      } catch {
        // Its battery is low, or it does not let pages do that: the screen goes off.
      }
    };
    void hold();
    document.addEventListener("visibilitychange", hold);
    return () => {
      gone = true;
      document.removeEventListener("visibilitychange", hold);
      void held?.release();
    };
  }, []);
}
