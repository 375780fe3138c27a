// What a camera shows, asked again while somebody looks, with readings on it.
import { useEffect, useState } from "react";
import type { Entity } from "../../api/client";
import { shown } from "../../api/readings";
import { visible } from "../../ui/visible";
import { ToEntity } from "../ToEntity";
import type { TileOf } from "./tiles";

const PICTURE_EVERY_MS = 10_000;

export function Picture({
  tile,
  entities,
  source,
  large = false,
}: {
  tile: TileOf;
  entities: Map<string, Entity>;
  source: string;
  large?: boolean;
}) {
  const [at, setAt] = useState(0);
  const [failed, setFailed] = useState(false);
  useEffect(() => {
    const timer = window.setInterval(() => {
      if (!document.hidden) setAt(Date.now());
    }, PICTURE_EVERY_MS);
    return () => window.clearInterval(timer);
  }, []);
  return (
    <div className="relative grow">
      {failed ? (
        <p className="p-4 text-faint">
          The camera{tile.address ? ` at ${visible(tile.address)}` : ""} gave no picture. It is
          asked again every 10 s.
        </p>
      ) : null}
      <img
        src={at ? `${source}?at=${at}` : source}
        alt={tile.text || "The camera's picture"}
        onLoad={() => setFailed(false)}
        onError={() => setFailed(true)}
        className={`absolute inset-0 size-full object-cover ${failed ? "hidden" : ""}`}
      />
      <div
        className={`absolute inset-x-0 bottom-0 flex flex-wrap items-baseline gap-x-4 bg-paper/85 px-3 py-1.5 ${large ? "text-[clamp(1.1rem,2vw,1.75rem)]" : ""}`}
      >
        <span className="wrap-anywhere font-medium">{visible(tile.text)}</span>
        {tile.of.map((address) => {
          const entity = entities.get(address);
          if (!entity) return null;
          return large ? (
            <span key={address} data-value>
              {visible(entity.title)} {shown(entity.value, entity)}
            </span>
          ) : (
            <ToEntity key={address} entity={address}>
              {visible(entity.title)} <span data-value>{shown(entity.value, entity)}</span>
            </ToEntity>
          );
        })}
      </div>
    </div>
  );
}
