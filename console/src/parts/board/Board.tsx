// A page of tiles, as they come by themselves or as somebody has put them.
import { lazy, type ReactNode, Suspense } from "react";
import type { Entity } from "../../api/client";
import { useCourse } from "../../api/courses";
import { shown } from "../../api/readings";
import { Mark, Since } from "../../ui/parts";
import { visible } from "../../ui/visible";
import type { Limit } from "../faces";
import { Tile } from "../Tile";
import { ToEntity } from "../ToEntity";
import { trend } from "../trend";
import { whose } from "../whose";
import { Endpoint } from "./Endpoint";
import { Picture } from "./Picture";
import { SceneButton } from "./SceneButton";
import { SPANS, type TileOf } from "./tiles";

// The chart library comes with the first comparison.
const Comparison = lazy(() => import("./Comparison").then((m) => ({ default: m.Comparison })));

/** What all tiles of a page look at. */
export interface Known {
  entities: Map<string, Entity>;
  titles: Map<string, string>;
  limits: Map<string, Limit[]>;
}

const NO_LIMITS: Limit[] = [];

export function Board({
  tiles,
  known,
  dashboard,
}: {
  tiles: TileOf[];
  known: Known;
  dashboard?: string;
}) {
  return (
    <ul className="grid grid-cols-[repeat(auto-fill,minmax(min(15rem,100%),1fr))] gap-4">
      {tiles.map((tile, place) => (
        <One
          // biome-ignore lint/suspicious/noArrayIndexKey: a tile is its place, and the same value may stand in two
          key={`${place} ${tile.of}`}
          tile={tile}
          known={known}
          dashboard={dashboard}
          place={place}
        />
      ))}
    </ul>
  );
}

function One({
  tile,
  known,
  dashboard,
  place,
}: {
  tile: TileOf;
  known: Known;
  dashboard?: string;
  place: number;
}) {
  const [first = ""] = tile.of;
  const entity = known.entities.get(first);
  if (tile.sort === "text")
    return (
      <Box tile={tile}>
        <p className="wrap-anywhere whitespace-pre-wrap font-serif text-lg">{lines(tile.text)}</p>
      </Box>
    );
  if (tile.sort === "scene")
    return (
      <Box tile={tile}>
        <SceneButton scene={tile.text} />
      </Box>
    );
  if (tile.sort === "picture")
    return (
      <Box tile={tile} tight>
        <Picture
          tile={tile}
          entities={known.entities}
          source={`/api/dashboards/${dashboard}/pictures/${place}`}
        />
      </Box>
    );
  if (tile.sort === "endpoint") {
    const some = tile.of.flatMap((one) => known.entities.get(one) ?? []);
    return (
      <Box tile={tile}>
        {some.length > 0 ? (
          <Endpoint entities={some} title={known.titles.get(some[0]?.node ?? "") ?? ""} />
        ) : (
          <Gone name={first} />
        )}
      </Box>
    );
  }
  if (tile.sort === "values") {
    return (
      <Box tile={tile}>
        <Values tile={tile} known={known} />
      </Box>
    );
  }
  if (tile.sort === "compare") {
    const some = tile.of.flatMap((one) => known.entities.get(one) ?? []);
    return (
      <Box tile={tile}>
        {some.length > 0 ? (
          <Suspense>
            <Comparison entities={some} />
          </Suspense>
        ) : (
          <Gone name={tile.of.join(", ")} />
        )}
      </Box>
    );
  }
  if (!entity)
    return (
      <Box tile={tile}>
        <Gone name={first} />
      </Box>
    );
  if (tile.sort === "curve")
    return (
      <Box tile={tile}>
        <Curve entity={entity} />
      </Box>
    );
  return (
    <Tile
      entity={entity}
      nodeTitle={whose(entity.entity, entity.node, known.titles)}
      limits={known.limits.get(entity.entity) ?? NO_LIMITS}
      className={SPANS[tile.size]}
    />
  );
}

/** A text with its lines, and with what hides in it made visible. */
export const lines = (text: string) =>
  text
    .split("\n")
    .map((line) => visible(line))
    .join("\n");

function Box({ tile, tight, children }: { tile: TileOf; tight?: boolean; children: ReactNode }) {
  return (
    <li
      data-tile={tile.sort}
      className={`rule relative flex min-h-44 min-w-0 flex-col overflow-hidden border bg-sheet ${tight ? "" : "p-4"} ${SPANS[tile.size]}`}
    >
      {children}
    </li>
  );
}

function Gone({ name }: { name: string }) {
  return <p className="wrap-anywhere text-faint">There is no value {visible(name)} any more.</p>;
}

function Values({ tile, known }: { tile: TileOf; known: Known }) {
  return (
    <dl className="space-y-2">
      {tile.of.map((address) => {
        const entity = known.entities.get(address);
        if (!entity) return <Gone key={address} name={address} />;
        return (
          <div key={address} className="flex flex-wrap items-baseline justify-between gap-x-3">
            <dt className="wrap-anywhere min-w-0">
              <ToEntity entity={address}>{visible(entity.spoken)}</ToEntity>
            </dt>
            <dd data-value className="text-xl tabular-nums">
              {shown(entity.value, entity)}
              {entity.quality === "bad" && (
                <span className="ml-2 text-sm">
                  <Mark grave>{entity.reason}</Mark>
                </span>
              )}
            </dd>
          </div>
        );
      })}
    </dl>
  );
}

/** A value with its last day, larger than on a tile. */
function Curve({ entity }: { entity: Entity }) {
  const history = useCourse(entity.entity);
  // A line from 350° to 10° would go the long way round.
  const turns = entity.drawn === "needle";
  const drawn = history && history.at.length > 1 && !turns ? trend(history, []) : null;
  return (
    <>
      <div className="flex flex-wrap items-baseline justify-between gap-x-3">
        <ToEntity entity={entity.entity}>{visible(entity.spoken)}</ToEntity>
        <span data-value className="text-2xl">
          {shown(entity.value, entity)}
        </span>
      </div>
      {drawn && history && (
        <div className="mt-2 flex min-h-20 grow gap-2">
          <div className="relative grow">
            <svg
              role="img"
              aria-label={`The last day, from ${shown(Math.min(...history.low), entity)} to ${shown(Math.max(...history.high), entity)}`}
              viewBox="0 0 100 100"
              preserveAspectRatio="none"
              className="absolute inset-0 size-full text-act"
            >
              <path d={drawn.area} fill="currentColor" opacity="0.12" />
              <path
                d={drawn.line}
                fill="none"
                stroke="currentColor"
                strokeWidth={2}
                vectorEffect="non-scaling-stroke"
              />
            </svg>
          </div>
          <div className="flex flex-col justify-between whitespace-nowrap text-right text-faint text-sm">
            <span>{shown(Math.max(...history.high), entity)}</span>
            <span>{shown(Math.min(...history.low), entity)}</span>
          </div>
        </div>
      )}
      <span className="mt-1 text-faint text-sm">
        <Since entity={entity} />
      </span>
    </>
  );
}
