// A part of a node as a whole: a lamp, a blind, a thermostat, a remote. What it is for
// stands large; what else it has, beside what it is changed with.
import { Link } from "react-router";
import type { Entity } from "../../api/client";
import { shown } from "../../api/readings";
import { Ago, Mark, Since } from "../../ui/parts";
import { visible } from "../../ui/visible";
import { Control } from "../Control";
import { ToEntity } from "../ToEntity";
import { inOrder, lastOf } from "./tiles";

export function Endpoint({ entities, title }: { entities: Entity[]; title: string }) {
  const [first] = inOrder(entities);
  const main = first?.drawn === "marks" ? lastOf(entities) : first;
  if (!main) return null;
  // Of several buttons it is said which one was pressed, and each stands below.
  const several = main.drawn === "marks";
  const rest = inOrder(entities).filter((one) => several || one !== main);
  const heard = Math.max(...entities.map((one) => one.heard_at ?? 0));
  const bad = entities.find((one) => one.quality === "bad");
  return (
    <div className="flex h-full flex-col justify-between gap-3">
      <div>
        <Link className="break-words text-act hover:underline" to={`/nodes/${main.node}`}>
          {visible(title)}
        </Link>
        <div className="text-faint text-sm">{main.role}</div>
      </div>
      <div className="space-y-3">
        <div>
          <ToEntity entity={main.entity} className="font-light text-3xl hover:underline">
            <span className={several && main.at ? "" : "sr-only"}>{visible(main.title)}: </span>
            <span data-value={main.entity}>{visible(shown(main.value, main))}</span>
          </ToEntity>
          <Control entity={main} />
        </div>
        {rest.map((one) => (
          <div key={one.entity}>
            <div className="flex flex-wrap items-baseline justify-between gap-x-3 text-sm">
              <ToEntity entity={one.entity} className="text-act hover:underline">
                {visible(one.title)}
              </ToEntity>
              <span data-value={one.entity}>
                {visible(shown(one.value, one))}
                {one.drawn === "marks" && one.at !== null && (
                  <span className="text-faint">
                    {" "}
                    <Ago at={one.at} />
                  </span>
                )}
              </span>
            </div>
            <Control entity={one} />
          </div>
        ))}
      </div>
      <div className="flex flex-wrap justify-between gap-x-3 text-sm">
        <span className="text-faint">
          {main.since ? <Since entity={main} /> : <Ago at={heard || null} />}
        </span>
        {bad && <Mark grave>{bad.reason}</Mark>}
      </div>
    </div>
  );
}
