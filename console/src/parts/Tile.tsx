// A tile: one value with its unit and freshness, its course drawn quietly below, and the
// limits put on it.
import { memo } from "react";
import type { Entity } from "../api/client";
import { Mark, Since } from "../ui/parts";
import { hubNow } from "../ui/time";
import { visible } from "../ui/visible";
import { faceOf, type Limit } from "./faces";
import { ToEntity } from "./ToEntity";

export const Tile = memo(function Tile({
  entity,
  nodeTitle,
  limits,
  className = "",
}: {
  entity: Entity;
  nodeTitle: string;
  limits: Limit[];
  className?: string;
}) {
  const Face = faceOf(entity);
  return (
    <li
      data-entity={entity.entity}
      className={`rule relative flex min-h-44 flex-col justify-between gap-2 overflow-hidden border bg-sheet p-4 ${className}`}
    >
      {/* A new key starts the glow again; it must not take the switch's state with it. */}
      <Glow key={`${entity.value}`} at={entity.at} />
      <div className="relative">
        <ToEntity
          entity={entity.entity}
          className="break-words text-act after:absolute after:-inset-4 hover:underline"
        >
          {visible(entity.title)}
          <span className="sr-only">, {visible(nodeTitle)}</span>
        </ToEntity>
        <div aria-hidden className="break-words text-faint text-sm">
          {visible(nodeTitle)}
        </div>
      </div>
      <div className="relative">
        <Face entity={entity} limits={limits} />
        <div className="mt-1 flex flex-wrap justify-between gap-x-3 text-sm">
          <span className="text-faint">
            <Since entity={entity} />
          </span>
          {entity.quality !== "good" && entity.quality !== "none" && (
            <Mark grave={entity.quality === "bad"}>{entity.reason}</Mark>
          )}
          {entity.left_alone && <span className="text-faint">set by hand</span>}
        </div>
      </div>
    </li>
  );
});

function Glow({ at }: { at: number | null }) {
  const fresh = at !== null && hubNow() - at < 3000;
  return fresh ? <span aria-hidden className="glow absolute inset-0" /> : null;
}
