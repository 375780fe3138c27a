// The house as a cross-section: a roof line, floors as bands, rooms as cells. Map,
// status and way in at once.
import { Link } from "react-router";
import type { Entity, Floor, Room } from "../../api/client";
import { Mark } from "../../ui/parts";
import { visible } from "../../ui/visible";
import { leading, trouble } from "./leading";

/** `entities` is undefined while it is not known what is there. */
export function Section({ floors, entities }: { floors: Floor[]; entities: Entity[] | undefined }) {
  const fromTheTop = [...floors].sort((a, b) => b.position - a.position);
  return (
    <section aria-label="The house in section">
      <svg
        aria-hidden="true"
        viewBox="0 0 1000 90"
        preserveAspectRatio="none"
        className="block h-12 w-full sm:h-16"
      >
        <path
          d="M2 90 500 6l498 84"
          fill="none"
          stroke="currentColor"
          strokeWidth="2.5"
          vectorEffect="non-scaling-stroke"
        />
        <path
          d="M760 48V14h34v40"
          fill="none"
          stroke="currentColor"
          strokeWidth="1.5"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
      <div className="mx-[0.2%] border-ink border-x-[2.5px] border-b-[2.5px]">
        {fromTheTop.map((floor) => (
          <div key={floor.id} className="border-ink border-t-[2.5px]">
            <h2 className="px-4 pt-2 font-sans text-faint text-xs uppercase tracking-wider">
              {floor.name}
            </h2>
            <div className="grid grid-cols-[repeat(auto-fit,minmax(min(13rem,100%),1fr))] gap-px bg-rule">
              {floor.rooms.map((room) => (
                <Cell
                  key={room.room}
                  room={room}
                  alone={floor.rooms.length === 1}
                  entities={entities?.filter((e) => e.room === room.room && !e.hidden)}
                />
              ))}
            </div>
          </div>
        ))}
      </div>
    </section>
  );
}

function Cell({
  room,
  entities,
  alone,
}: {
  room: Room;
  entities: Entity[] | undefined;
  alone: boolean;
}) {
  const wrong = trouble(entities ?? []);
  // A room that has its floor to itself has room for more.
  const values = leading(entities ?? [], alone ? 7 : 3);
  return (
    <Link to={`/rooms/${room.room}`} className="group block bg-paper px-4 pt-1 pb-3 hover:bg-sheet">
      <div className="flex items-baseline justify-between gap-2">
        <h3 className="font-serif text-act text-lg group-hover:underline">{room.name}</h3>
        {wrong && (
          <span className="text-sm">
            <Mark grave>{wrong}</Mark>
          </span>
        )}
      </div>
      {values.length === 0 ? (
        <p className="text-faint">{entities ? "nothing heard yet" : "…"}</p>
      ) : (
        <ul
          className={`mt-1 flex flex-wrap items-end gap-y-2 ${alone ? "gap-x-6 sm:gap-x-16" : "gap-x-6"}`}
        >
          {values.map((entity) => (
            <li key={entity.entity} className="whitespace-nowrap">
              <Figure entity={entity} />
              <div className="max-w-[15ch] truncate text-faint text-xs">
                {visible(entity.title)}
              </div>
            </li>
          ))}
        </ul>
      )}
    </Link>
  );
}

function Figure({ entity }: { entity: Entity }) {
  const look = entity.quality === "good" ? "" : "text-faint line-through decoration-1";
  if (entity.words || entity.drawn === "marks")
    return (
      <span data-value className={`text-lg ${look}`}>
        {entity.shown}
      </span>
    );
  return (
    <span data-value className={look}>
      <span className="font-light text-3xl">{entity.value?.toFixed(entity.decimals)}</span>
      <span className="ml-1 text-faint text-sm">{entity.unit}</span>
    </span>
  );
}
