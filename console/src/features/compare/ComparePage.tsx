// Several values in one chart: of other rooms, of outside, or of what was before. All of
// it is in the page's address, so that it can be shared.
import { X } from "lucide-react";
import { useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { Earlier, Entity, History } from "../../api/client";
import { useCourses, useNumbers } from "../../api/courses";
import { useEntities, useHouse } from "../../api/queries";
import { shown } from "../../api/readings";
import { AsPicture } from "../../parts/AsPicture";
import { Chart } from "../../parts/Chart";
import { type Course, MOST_UNITS, nameOf, toneOf, unitsOf } from "../../parts/plot";
import { Spans } from "../../parts/Spans";
import { asked, useWindow, type Window } from "../../parts/window";
import { Await, Button, Empty, Failure, Heads, Labelled, Page } from "../../ui/parts";
import { exact } from "../../ui/time";
import { visible } from "../../ui/visible";
import { differenceOf, ofBothRooms, shifted } from "./courses";

const MOST = 8;
const EARLIER: Earlier[] = ["day", "week", "month", "year"];

export function ComparePage() {
  const [search, setSearch] = useSearchParams();
  const [window, setWindow] = useWindow();
  const entities = useEntities();
  const earlier = EARLIER.find((one) => one === search.get("earlier"));
  const difference = search.has("difference");
  const known = new Map(entities.data?.map((one) => [one.entity, one]));
  const named = [...new Set(search.getAll("of"))];
  const unknown = entities.data ? named.filter((one) => !known.has(one)) : [];
  const chosen = named.flatMap((one) => known.get(one) ?? []);

  const change = (made: (after: URLSearchParams) => void) =>
    setSearch(
      (before) => {
        const after = new URLSearchParams(before);
        made(after);
        return after;
      },
      { replace: true },
    );
  const choose = (all: string[]) =>
    change((after) => {
      after.delete("of");
      for (const one of all) after.append("of", one);
    });

  return (
    <Page title="Compare" aside={<Spans window={window} onWindow={setWindow} />}>
      <Await of={entities} lines={8}>
        {(all) => (
          <>
            <Chosen chosen={chosen} all={all} choose={choose} />
            {unknown.map((one) => (
              <Failure key={one} error={new Error(`There is no value ${one} any more.`)} />
            ))}
            <div className="my-4 flex flex-wrap items-end gap-x-6 gap-y-2">
              <Labelled label="With itself">
                <select
                  value={earlier ?? ""}
                  onChange={(event) =>
                    change((after) =>
                      event.target.value
                        ? after.set("earlier", event.target.value)
                        : after.delete("earlier"),
                    )
                  }
                  className="field"
                >
                  <option value="">not earlier</option>
                  {EARLIER.map((one) => (
                    <option key={one} value={one}>
                      a {one} earlier
                    </option>
                  ))}
                </select>
              </Labelled>
              <label className="flex min-h-9 items-center gap-2">
                <input
                  type="checkbox"
                  checked={difference}
                  onChange={(event) =>
                    change((after) =>
                      event.target.checked
                        ? after.set("difference", "1")
                        : after.delete("difference"),
                    )
                  }
                />
                the difference of the first two
              </label>
              <TwoRooms all={all} choose={choose} />
            </div>
            <Compared
              chosen={chosen}
              window={window}
              onWindow={setWindow}
              earlier={earlier}
              difference={difference}
            />
          </>
        )}
      </Await>
    </Page>
  );
}

/** What is compared, and what can be added. */
function Chosen({
  chosen,
  all,
  choose,
}: {
  chosen: Entity[];
  all: Entity[];
  choose: (all: string[]) => void;
}) {
  const house = useHouse();
  const named = chosen.map((one) => one.entity);
  const rooms = house.data?.floors.flatMap((floor) => floor.rooms) ?? [];
  const left = all.filter((one) => !named.includes(one.entity) && !one.hidden);
  const first = chosen[0];
  const alike = left.filter((one) => one.kind === first?.kind).slice(0, MOST - named.length);
  const groups = [
    ...rooms.map((room) => ({
      name: room.name,
      of: left.filter((one) => one.room === room.room),
    })),
    { name: "in no room", of: left.filter((one) => !one.room) },
  ].filter((group) => group.of.length > 0);
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
      <ul aria-label="Compared" className="contents">
        {chosen.map((one, place) => (
          <li
            key={one.entity}
            className="rule flex min-w-0 items-center gap-2 border bg-sheet px-2 py-1"
          >
            <span
              aria-hidden
              className="h-0.5 w-4 shrink-0 forced-colors:bg-[LinkText]"
              style={{ background: toneOf(place) }}
            />
            <Link
              to={`/readings/${one.entity}`}
              className="min-w-0 break-words text-act hover:underline"
            >
              {visible(one.spoken)}
            </Link>
            <button
              type="button"
              aria-label={`Take ${one.spoken} out of the comparison`}
              onClick={() => choose(named.filter((other) => other !== one.entity))}
              className="text-faint pointer-coarse:min-h-11 pointer-coarse:min-w-8"
            >
              <X aria-hidden className="size-4" />
            </button>
          </li>
        ))}
      </ul>
      {named.length < MOST && (
        <select
          aria-label="Add a value"
          value=""
          onChange={(event) => choose([...named, event.target.value])}
          className="field max-w-56"
        >
          <option value="">add a value …</option>
          {groups.map((group) => (
            <optgroup key={group.name} label={group.name}>
              {group.of.map((one) => (
                <option key={one.entity} value={one.entity}>
                  {one.spoken}
                </option>
              ))}
            </optgroup>
          ))}
        </select>
      )}
      {first && alike.length > 0 && (
        <Button onClick={() => choose([...named, ...alike.map((one) => one.entity)])}>
          The same of all rooms
        </Button>
      )}
    </div>
  );
}

/** A room with a room: what both have. */
function TwoRooms({ all, choose }: { all: Entity[]; choose: (all: string[]) => void }) {
  const house = useHouse();
  const [one, setOne] = useState("");
  const [none, setNone] = useState("");
  const rooms = house.data?.floors.flatMap((floor) => floor.rooms) ?? [];
  const with_ = (other: string) => {
    const both = ofBothRooms(all, one, other);
    setNone(both.length ? "" : "These two rooms have no values of the same kind.");
    if (both.length) choose(both);
  };
  const options = (of: typeof rooms) =>
    of.map((room) => (
      <option key={room.room} value={room.room}>
        {room.name}
      </option>
    ));
  return (
    <fieldset className="flex flex-wrap items-center gap-x-3 gap-y-2">
      <legend className="mb-1 block font-medium">A room with a room</legend>
      <select
        aria-label="A room"
        value={one}
        onChange={(event) => setOne(event.target.value)}
        className="field max-w-56"
      >
        <option value="">choose a room …</option>
        {options(rooms)}
      </select>
      {one && (
        <select
          aria-label="With the room"
          value=""
          onChange={(event) => with_(event.target.value)}
          className="field max-w-56"
        >
          <option value="">with …</option>
          {options(rooms.filter((room) => room.room !== one))}
        </select>
      )}
      {none && <span className="text-faint">{none}</span>}
    </fieldset>
  );
}

function Compared({
  chosen,
  window,
  onWindow,
  earlier,
  difference,
}: {
  chosen: Entity[];
  window: Window;
  onWindow: (to: Window) => void;
  earlier: Earlier | undefined;
  difference: boolean;
}) {
  const addresses = chosen.map((one) => one.entity);
  const now = useCourses(addresses, asked(window));
  const before = useCourses(earlier ? addresses : [], asked(window), earlier);
  const ids = addresses.join(" ");
  // Its readings change every few seconds; what is drawn does only with its history.
  // biome-ignore lint/correctness/useExhaustiveDependencies: see above
  const courses = useMemo(
    () => drawn(chosen, now.data ?? [], before.data ?? [], earlier, difference),
    [ids, now.data, before.data, earlier, difference],
  );
  if (chosen.length === 0)
    return <Empty>Choose the first value above. Each one more is drawn in the same chart.</Empty>;
  if (courses.length > MOST)
    return (
      <Empty>
        That makes {courses.length} curves; a chart shows at most {MOST}. Take some out.
      </Empty>
    );
  if (unitsOf(courses).length > MOST_UNITS)
    return (
      <Empty>
        These values have {unitsOf(courses).length} units ({unitsOf(courses).join(", ")}); a chart
        has room for two. Take one out.
      </Empty>
    );
  const day = { span: "day" as const, start: window.end - 86_400_000, end: window.end };
  return (
    <Await of={now} lines={6}>
      {() => (
        <>
          {before.error && <Failure error={before.error} />}
          <Chart
            courses={courses}
            window={window}
            onWindow={onWindow}
            onReset={() => onWindow(day)}
          />
          <p className="mt-3">
            Download the chart as{" "}
            <AsPicture
              courses={courses}
              title={`Compared, ${exact(window.start)} to ${exact(window.end)}`}
            />
            .
          </p>
          <table className="mt-6 w-full max-w-3xl text-left">
            <Heads
              of="The span in numbers"
              names={["value", "lowest", "mean", "median", "highest"]}
              right={["lowest", "mean", "median", "highest"]}
              wide={["median"]}
              tiny={["lowest"]}
            />
            <tbody>
              {chosen.flatMap((entity, n) => [
                <Row key={entity.entity} entity={entity} window={window} place={n} />,
                ...(earlier
                  ? [
                      <Row
                        key={`${entity.entity} ${earlier}`}
                        entity={entity}
                        window={window}
                        place={chosen.length + n}
                        earlier={earlier}
                      />,
                    ]
                  : []),
              ])}
            </tbody>
          </table>
        </>
      )}
    </Await>
  );
}

function Row({
  entity,
  window,
  place,
  earlier,
}: {
  entity: Entity;
  window: Window;
  place: number;
  earlier?: Earlier;
}) {
  const { data, error } = useNumbers(entity.entity, asked(window), undefined, earlier);
  return (
    <tr className="rule border-t">
      <th scope="row" className="wrap-anywhere py-1.5 pr-4 font-normal">
        <span
          aria-hidden
          className="mr-2 inline-block h-0.5 w-4 align-middle forced-colors:bg-[LinkText]"
          style={{ background: toneOf(place) }}
        />
        {visible(entity.spoken)}
        {earlier && `, a ${earlier} earlier`}
        {error && <span className="block text-madder text-sm">{error.message}</span>}
      </th>
      <td className="pr-4 text-right max-[20rem]:hidden">{shown(data?.low, entity)}</td>
      <td className="pr-4 text-right">{shown(data?.mean, entity)}</td>
      <td className="pr-4 text-right max-sm:hidden">{shown(data?.median, entity)}</td>
      <td className="text-right">{shown(data?.high, entity)}</td>
    </tr>
  );
}

/** The courses of a chart: each value, each value earlier, and the difference of two. */
function drawn(
  chosen: Entity[],
  now: History[],
  before: History[],
  earlier: Earlier | undefined,
  difference: boolean,
): Course[] {
  const course = (history: History, entity: Entity, name?: string) => ({ history, entity, name });
  const found: Course[] = chosen.flatMap((entity, n) => {
    const history = now[n];
    return history ? [course(history, entity)] : [];
  });
  if (earlier)
    chosen.forEach((entity, n) => {
      const [history, of] = [before[n], now[n]];
      if (history && of)
        found.push(
          course(shifted(history, of.start), entity, `${entity.spoken}, a ${earlier} earlier`),
        );
    });
  const [a, b] = found;
  if (difference && a && b && a.entity.unit === b.entity.unit)
    found.push({
      history: differenceOf(a.history, b.history),
      entity: a.entity,
      name: `${nameOf(a)} minus ${nameOf(b)}`,
    });
  return found;
}
