// The table of readings. Only the rows on the screen are made: a house has hundreds, and
// several change each second.
import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { memo, useLayoutEffect, useRef, useState } from "react";
import { Link } from "react-router";
import type { Entity } from "../../api/client";
import { Ago, Heads, Mark } from "../../ui/parts";
import { visible } from "../../ui/visible";

/** An entity's place in the table, with the text by which it is found. */
export interface Place {
  entity: string;
  room: string;
  node: string;
  text: string;
}

const ROW_PX = 37;

// The widths are fixed, so that a row that comes or changes moves no other. Where the
// screen has room for two columns of large text, the node stands under the value's name,
// and the age stays away.
const LOOK = [
  "w-full table-fixed text-left",
  "[&_th:nth-child(2)]:w-[27%] [&_th:nth-child(3)]:w-[29%]",
  "sm:[&_th:nth-child(2)]:w-1/5 sm:[&_th:nth-child(3)]:w-1/5",
  "max-[16rem]:[&_tr>:nth-child(2)]:hidden max-[16rem]:[&_tr>:nth-child(6)]:hidden",
  "max-[16rem]:[&_th:nth-child(3)]:w-3/5",
].join(" ");

export function Table({ places, now }: { places: Place[]; now: Map<string, Entity> }) {
  const body = useRef<HTMLTableSectionElement>(null);
  const [above, setAbove] = useState(0);
  useLayoutEffect(() => {
    const top = body.current?.getBoundingClientRect().top ?? 0;
    setAbove(Math.round(top + window.scrollY));
  }, []);
  const rows = useWindowVirtualizer({
    count: places.length,
    estimateSize: () => ROW_PX,
    getItemKey: (at) => places[at]?.entity ?? at,
    overscan: 6,
    scrollMargin: above,
  });
  const seen = rows.getVirtualItems();
  const before = (seen[0]?.start ?? above) - above;
  const after = rows.getTotalSize() - ((seen.at(-1)?.end ?? above) - above);
  return (
    <table className={LOOK} aria-rowcount={places.length + 1}>
      <Heads
        of="All readings"
        names={["room", "node", "value of", "now", "quality", "heard"]}
        right={["now"]}
        wide={["room", "quality"]}
      />
      <tbody ref={body}>
        <Gap height={before} />
        {seen.map(({ index, key }) => {
          const place = places[index];
          const entity = place && now.get(place.entity);
          return (
            entity && (
              <Row
                key={key}
                at={index}
                entity={entity}
                place={place}
                measure={rows.measureElement}
              />
            )
          );
        })}
        <Gap height={after} />
      </tbody>
    </table>
  );
}

/** The height of the rows that are not on the screen. */
function Gap({ height }: { height: number }) {
  return (
    height > 0 && (
      <tr aria-hidden style={{ height }}>
        <td />
      </tr>
    )
  );
}

const Row = memo(function Row({
  at,
  entity,
  place,
  measure,
}: {
  at: number;
  entity: Entity;
  place: Place;
  measure: (row: Element | null) => void;
}) {
  return (
    <tr ref={measure} data-index={at} aria-rowindex={at + 2} className="rule border-t">
      <td className="py-1.5 pr-4 max-sm:hidden">{place.room}</td>
      <td className="wrap-anywhere py-1.5 pr-4">{place.node}</td>
      <td className="wrap-anywhere pr-4">
        <Link className="text-act hover:underline" to={`/readings/${entity.entity}`}>
          {visible(entity.title)}
        </Link>
        <span className="hidden text-faint text-sm max-[16rem]:block">{place.node}</span>
        {entity.hidden && <span className="block text-faint text-sm">hidden</span>}
      </td>
      <td data-value className="pr-4 text-right font-semibold">
        {entity.shown || "–"}
        {entity.quality !== "good" && (
          <span className="block font-normal text-sm sm:hidden">
            <Mark grave={entity.quality === "bad"}>{entity.reason}</Mark>
          </span>
        )}
      </td>
      <td className="pr-4 max-sm:hidden">
        {entity.quality === "good" ? (
          "good"
        ) : (
          <Mark grave={entity.quality === "bad"}>{entity.reason}</Mark>
        )}
      </td>
      <td>
        <Ago at={entity.heard_at} />
      </td>
    </tr>
  );
});
