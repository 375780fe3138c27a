// A room to choose or to name again.
import { useHouse } from "../api/queries";
import { Labelled } from "./parts";

export function RoomField({ value = "", hint }: { value?: string; hint?: string }) {
  const house = useHouse();
  const rooms = house.data?.floors.flatMap((floor) => floor.rooms) ?? [];
  const named = rooms.find((room) => room.room === value)?.name ?? value;
  return (
    <>
      <Labelled label="Room" hint={hint}>
        <input
          name="room"
          list="rooms"
          autoComplete="off"
          defaultValue={named}
          key={rooms.length}
          className="field"
        />
      </Labelled>
      <datalist id="rooms">
        {rooms.map((room) => (
          <option key={room.room} value={room.name} />
        ))}
      </datalist>
    </>
  );
}
