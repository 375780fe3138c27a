// The registry of tiles: how a value of each kind looks on its tile, and what it is
// changed with. A kind that is not here is a word, or a figure with its course.
import type { ComponentType } from "react";
import type { Automation, Entity } from "../api/client";
import { useCourse } from "../api/courses";
import { shown } from "../api/readings";
import { Control } from "./Control";
import { trend } from "./trend";

export type Limit = NonNullable<Automation["watch"]>;
export type Face = ComponentType<{ entity: Entity; limits: Limit[] }>;

const WORD: Face = ({ entity }) => (
  <>
    <Word entity={entity} />
    <Control entity={entity} />
  </>
);
const FIGURE: Face = ({ entity, limits }) => (
  <>
    <Figure entity={entity} />
    <Control entity={entity} />
    <Trend address={entity.entity} limits={limits} />
  </>
);

const NEEDLE: Face = ({ entity }) => (
  <div className="flex items-center gap-4">
    <Needle entity={entity} />
    <Figure entity={entity} />
    <Control entity={entity} />
  </div>
);
const HUE: Face = ({ entity }) => (
  <>
    <Figure entity={entity} />
    <Control entity={entity} />
  </>
);
const BY_KIND: Record<string, Face> = { hue: HUE };
const DRAWN: Record<Entity["drawn"], Face> = {
  line: FIGURE,
  states: WORD,
  needle: NEEDLE,
  marks: WORD,
};

/** The face of an entity's tile. */
export function faceOf(entity: Pick<Entity, "kind" | "drawn">): Face {
  return BY_KIND[entity.kind] ?? DRAWN[entity.drawn];
}

/** A direction on a compass, north up: the needle points to where it comes from. */
function Needle({ entity }: { entity: Entity }) {
  if (entity.value === null) return null;
  return (
    <svg aria-hidden="true" viewBox="-50 -50 100 100" className="block size-20">
      <circle r="46" fill="none" stroke="var(--rule)" strokeWidth="2" />
      {[0, 90, 180, 270].map((turn) => (
        <path key={turn} d="M0 -46V-38" stroke="var(--faint)" transform={`rotate(${turn})`} />
      ))}
      <text y="-24" textAnchor="middle" fontSize="14" fill="var(--faint)">
        N
      </text>
      <g data-needle transform={`rotate(${entity.value})`}>
        <path d="M0 -34L7 26L0 18L-7 26Z" fill="var(--act)" />
      </g>
    </svg>
  );
}

function Nothing({ entity }: { entity: Entity }) {
  return <div className="text-faint text-xl">{entity.at === null ? "nothing heard yet" : "–"}</div>;
}

function Word({ entity }: { entity: Entity }) {
  if (entity.value === null) return <Nothing entity={entity} />;
  return (
    <div data-value className="mb-1 font-light text-3xl">
      {entity.shown}
    </div>
  );
}

function Figure({ entity }: { entity: Entity }) {
  if (entity.value === null) return <Nothing entity={entity} />;
  return (
    <div data-value className={entity.quality === "bad" ? "text-faint" : ""}>
      {entity.unit === "s" ? (
        <span className="font-light text-4xl">{shown(entity.value, entity)}</span>
      ) : (
        <>
          <span className="font-light text-5xl">{entity.value.toFixed(entity.decimals)}</span>
          <span className="ml-1 text-faint text-lg">{entity.unit}</span>
        </>
      )}
    </div>
  );
}

function Trend({ address, limits }: { address: string; limits: Limit[] }) {
  const history = useCourse(address);
  if (!history || history.at.length < 2) return null;
  const drawn = trend(history, limits);
  return (
    <svg
      aria-hidden="true"
      viewBox="0 0 100 100"
      preserveAspectRatio="none"
      className="-mx-4 mt-2 block h-10 w-[calc(100%+2rem)]"
    >
      <path d={drawn.area} fill="var(--rule)" opacity="0.35" />
      <path
        d={drawn.line}
        fill="none"
        stroke="var(--faint)"
        opacity="0.3"
        vectorEffect="non-scaling-stroke"
      />
      {drawn.limits.map((y) => (
        <path
          key={y}
          d={`M0 ${y}H100`}
          stroke="var(--amber)"
          strokeDasharray="3 3"
          opacity="0.8"
          vectorEffect="non-scaling-stroke"
        />
      ))}
    </svg>
  );
}
