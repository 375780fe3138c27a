// A tile: one value with its unit and freshness, its course drawn quietly behind, and
// the limits put on it.
import { Link } from "react-router";
import type { Automation, Entity } from "../../api/client";
import { useHistory } from "../../api/queries";
import { LevelControl } from "../../ui/LevelControl";
import { Ago, Mark } from "../../ui/parts";
import { SwitchControl } from "../../ui/SwitchControl";
import { visible } from "../../ui/visible";
import { trend } from "./trend";

type Limit = NonNullable<Automation["watch"]>;

export function Tile({
  entity,
  nodeTitle,
  limits,
}: {
  entity: Entity;
  nodeTitle: string;
  limits: Limit[];
}) {
  const switches = entity.writable && entity.kind === "switch";
  return (
    <li
      data-entity={entity.entity}
      className="rule relative flex min-h-40 flex-col justify-between overflow-hidden border bg-sheet p-4"
    >
      {/* A new key starts the glow again; it must not take the switch's state with it. */}
      <Glow key={`${entity.value}`} at={entity.at} />
      {!entity.words && <Trend address={entity.entity} limits={limits} />}
      <div className="relative">
        <Link to={`/readings/${entity.entity}`} className="text-act hover:underline">
          {visible(entity.title)}
        </Link>
        <div className="text-faint text-sm">{visible(nodeTitle)}</div>
      </div>
      <div className="relative">
        <Value entity={entity} />
        {switches && <SwitchControl entity={entity} label={entity.spoken} />}
        {entity.writable && entity.kind === "level" && <LevelControl entity={entity} />}
        <div className="mt-1 flex flex-wrap justify-between gap-x-3 text-sm">
          <span className="text-faint">
            <Ago at={entity.heard_at} />
          </span>
          {entity.quality !== "good" && entity.quality !== "none" && (
            <Mark grave={entity.quality === "bad"}>{entity.reason}</Mark>
          )}
        </div>
      </div>
    </li>
  );
}

function Glow({ at }: { at: number | null }) {
  const fresh = at !== null && Date.now() - at < 3000;
  return fresh ? <span aria-hidden className="glow absolute inset-0" /> : null;
}

function Value({ entity }: { entity: Entity }) {
  if (entity.value === null) {
    return (
      <div className="text-faint text-xl">{entity.at === null ? "nothing heard yet" : "–"}</div>
    );
  }
  if (entity.words) return <div className="mb-1 font-light text-3xl">{entity.shown}</div>;
  return (
    <div className={entity.quality === "bad" ? "text-faint" : ""}>
      <span className="font-light text-5xl">{entity.value.toFixed(entity.decimals)}</span>
      <span className="ml-1 text-faint text-lg">{entity.unit}</span>
    </div>
  );
}

function Trend({ address, limits }: { address: string; limits: Limit[] }) {
  const history = useHistory(address, "day", 96);
  if (!history.data || history.data.at.length < 2) return null;
  const drawn = trend(history.data, limits);
  return (
    <svg
      aria-hidden="true"
      viewBox="0 0 100 100"
      preserveAspectRatio="none"
      className="absolute inset-x-0 bottom-0 h-3/5 w-full"
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
