// What somebody is in the house: the fields that say it.
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useDashboards, useHouse } from "../../api/queries";
import { Labelled } from "../../ui/parts";
import { visible } from "../../ui/visible";

type Place = Schemas["PlaceRequest"];
type Role = Place["role"];

const ROLES: [Role, string][] = [
  ["adult", "Adult: everything but looking after the hub"],
  ["guest", "Guest: sees and switches some rooms"],
  ["wall", "Wall: a screen that shows one page"],
  ["owner", "Owner: everything"],
];

/** The place that a form's fields say. */
export function placeOf(values: FormData): Place {
  return {
    role: String(values.get("role")) as Role,
    rooms: values.getAll("room").map(String),
    dashboard: String(values.get("dashboard") ?? ""),
    switches: values.get("role") !== "wall" || values.get("switches") !== null,
  };
}

export function PlaceFields({ place }: { place?: Partial<Place> }) {
  const house = useHouse();
  const dashboards = useDashboards();
  const [role, setRole] = useState<Role>(place?.role ?? "adult");
  const rooms = house.data?.floors.flatMap((floor) => floor.rooms) ?? [];
  return (
    <>
      <Labelled label="Role">
        <select
          name="role"
          className="field"
          value={role}
          onChange={(event) => setRole(event.target.value as Role)}
        >
          {ROLES.map(([value, label]) => (
            <option key={value} value={value}>
              {label}
            </option>
          ))}
        </select>
      </Labelled>
      {role === "guest" && (
        <fieldset className="flex flex-wrap gap-x-5 gap-y-1">
          <legend className="mb-1 font-medium">Rooms</legend>
          {rooms.map((room) => (
            <label key={room.room} className="inline-flex min-h-9 items-center gap-2">
              <input
                type="checkbox"
                name="room"
                value={room.room}
                defaultChecked={place?.rooms?.includes(room.room)}
              />
              {visible(room.name)}
            </label>
          ))}
        </fieldset>
      )}
      {role === "wall" && (
        <>
          <Labelled label="Page" hint="Pages are made on the house page, rooms’ by arranging them.">
            <select
              name="dashboard"
              required
              className="field"
              defaultValue={place?.dashboard ?? ""}
            >
              {dashboards.data?.length === 0 && <option value="">There is no page yet</option>}
              {dashboards.data?.map((one) => (
                <option key={one.dashboard} value={one.dashboard}>
                  {visible(one.title)}
                </option>
              ))}
            </select>
          </Labelled>
          <label className="inline-flex min-h-9 items-center gap-2">
            <input type="checkbox" name="switches" defaultChecked={place?.switches ?? true} />
            It may switch what is on it
          </label>
        </>
      )}
    </>
  );
}
