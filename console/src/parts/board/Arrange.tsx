// Arranging a page: its tiles lift, are moved by mouse, finger or keys, sized, taken off
// and put there from a tray. Nothing is kept before it is said so.
import {
  closestCenter,
  DndContext,
  type DragEndEvent,
  KeyboardSensor,
  PointerSensor,
  TouchSensor,
  useSensor,
  useSensors,
} from "@dnd-kit/core";
import {
  arrayMove,
  rectSortingStrategy,
  SortableContext,
  sortableKeyboardCoordinates,
  useSortable,
} from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { GripVertical, X } from "lucide-react";
import { useState } from "react";
import type { Entity } from "../../api/client";
import { useScenes } from "../../api/queries";
import { Button, Failure, Labelled } from "../../ui/parts";
import { visible } from "../../ui/visible";
import type { Known } from "./Board";
import { left, SIZES, type Sort, SPANS, type TileOf, tileOf, USUAL } from "./tiles";

type Draft = TileOf & { key: number };
const OTHERS: Sort[] = ["values", "curve", "compare", "scene", "text", "picture"];

let last = 0;
const draft = (tile: TileOf): Draft => {
  last += 1;
  return { ...tile, key: last };
};

export function Arrange({
  tiles,
  known,
  room,
  busy,
  error,
  onDone,
  onLeave,
}: {
  tiles: TileOf[];
  known: Known;
  room: string | null;
  busy: boolean;
  error: Error | null;
  onDone: (tiles: TileOf[]) => void;
  onLeave: () => void;
}) {
  const [before, setBefore] = useState<Draft[][]>([]);
  const [now, setNow] = useState(() => tiles.map(draft));
  const [everywhere, setEverywhere] = useState(room === null);
  const [typed, setTyped] = useState("");
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(TouchSensor, { activationConstraint: { delay: 150, tolerance: 8 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const change = (to: Draft[]) => {
    setBefore((all) => [...all, now]);
    setNow(to);
  };
  const set = (key: number, to: Partial<TileOf>) =>
    change(now.map((one) => (one.key === key ? { ...one, ...to } : one)));
  const nameOf = (tile: TileOf) => titleOf(tile, known);

  function moved({ active, over }: DragEndEvent) {
    if (!over || active.id === over.id) return;
    const place = (id: unknown) => now.findIndex((one) => one.key === id);
    change(arrayMove(now, place(active.id), place(over.id)));
  }

  const say = (id: unknown) => {
    const place = now.findIndex((one) => one.key === id);
    const tile = now[place];
    return tile ? `${nameOf(tile)}, place ${place + 1} of ${now.length}` : "";
  };
  const tray = left([...known.entities.values()], now, everywhere ? null : room).filter((one) =>
    `${one.spoken} ${one.entity}`.toLowerCase().includes(typed.toLowerCase()),
  );
  return (
    <div>
      <p className="mb-4 max-w-3xl text-faint">
        Drag a tile by its handle. With the keyboard: Space takes it up, the arrow keys move it,
        Space puts it down, Escape leaves it where it was.
      </p>
      <DndContext
        sensors={sensors}
        collisionDetection={closestCenter}
        onDragEnd={moved}
        accessibility={{
          screenReaderInstructions: {
            draggable: "Space takes it up, the arrow keys move it, Space puts it down.",
          },
          announcements: {
            onDragStart: ({ active }) => `Taken up: ${say(active.id)}.`,
            onDragOver: ({ active, over }) =>
              over ? `${say(active.id)} over ${say(over.id)}.` : "",
            onDragEnd: ({ over }) => (over ? `Put down at ${say(over.id)}.` : "Put back."),
            onDragCancel: () => "Put back.",
          },
        }}
      >
        <SortableContext items={now.map((one) => one.key)} strategy={rectSortingStrategy}>
          <ul
            aria-label="Tiles"
            className="grid grid-cols-[repeat(auto-fill,minmax(min(15rem,100%),1fr))] gap-4"
          >
            {now.map((tile) => (
              <Lifted
                key={tile.key}
                tile={tile}
                name={nameOf(tile)}
                known={known}
                set={(to) => set(tile.key, to)}
                remove={() => change(now.filter((one) => one.key !== tile.key))}
              />
            ))}
          </ul>
        </SortableContext>
      </DndContext>
      {now.length === 0 && (
        <p className="text-faint">No tile is left. Put some there from below.</p>
      )}
      <section aria-labelledby="tray" className="mt-8">
        <h2 id="tray" className="mb-2 text-xl">
          Put there
        </h2>
        <div className="mb-3 flex flex-wrap gap-2">
          {OTHERS.map((sort) => (
            <Button key={sort} onClick={() => change([...now, draft(tileOf(sort))])}>
              {USUAL[sort].name}
            </Button>
          ))}
        </div>
        <div className="mb-3 flex flex-wrap items-center gap-x-6 gap-y-2">
          <input
            type="search"
            aria-label="Find a value to put there"
            placeholder="a value …"
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
            className="field max-w-64"
          />
          {room !== null && (
            <label className="flex min-h-9 items-center gap-2">
              <input
                type="checkbox"
                checked={everywhere}
                onChange={(event) => setEverywhere(event.target.checked)}
              />
              of the other rooms too
            </label>
          )}
        </div>
        {tray.length === 0 ? (
          <p className="text-faint">Every value is on the page.</p>
        ) : (
          <ul className="flex flex-wrap gap-2">
            {tray.slice(0, 60).map((one) => (
              <li key={one.entity}>
                <button
                  type="button"
                  aria-label={`Put ${one.spoken} there`}
                  onClick={() => change([...now, draft(tileOf("value", [one.entity]))])}
                  className="rule min-h-9 border bg-sheet px-2 text-act pointer-coarse:min-h-11"
                >
                  {visible(one.spoken)}
                </button>
              </li>
            ))}
          </ul>
        )}
      </section>
      {error && (
        <div className="mt-4">
          <Failure error={error} />
        </div>
      )}
      <div className="sticky bottom-0 mt-6 flex flex-wrap justify-end gap-3 border-rule border-t bg-paper py-3 max-sm:bottom-14">
        <Button
          disabled={before.length === 0}
          onClick={() => {
            setNow(before.at(-1) ?? now);
            setBefore(before.slice(0, -1));
          }}
        >
          Undo
        </Button>
        <Button onClick={onLeave}>Leave it as it was</Button>
        <Button
          look="main"
          disabled={busy}
          onClick={() => onDone(now.map(({ key: _, ...tile }) => tile))}
        >
          Save
        </Button>
      </div>
    </div>
  );
}

function titleOf(tile: TileOf, known: Known): string {
  if (tile.sort === "text") return tile.text.split("\n")[0] || "A text";
  if (tile.sort === "picture") return tile.text || "A picture";
  if (tile.sort === "scene") return tile.text || "A scene";
  const first = known.entities.get(tile.of[0] ?? "")?.spoken ?? tile.of[0];
  if (!first) return USUAL[tile.sort].name;
  return tile.of.length > 1 ? `${first} and ${tile.of.length - 1} more` : first;
}

function Lifted({
  tile,
  name,
  known,
  set,
  remove,
}: {
  tile: Draft;
  name: string;
  known: Known;
  set: (to: Partial<TileOf>) => void;
  remove: () => void;
}) {
  const {
    attributes,
    listeners,
    setNodeRef,
    setActivatorNodeRef,
    transform,
    transition,
    isDragging,
  } = useSortable({ id: tile.key });
  const tool = "inline-flex size-9 items-center justify-center text-act pointer-coarse:size-11";
  return (
    <li
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      className={`flex min-h-36 min-w-0 flex-col gap-2 border bg-sheet p-3 ${isDragging ? "z-10 border-act shadow-lg" : "border-act/50 border-dashed"} ${SPANS[tile.size]}`}
    >
      <div className="flex items-center gap-1">
        <button
          type="button"
          ref={setActivatorNodeRef}
          {...attributes}
          {...listeners}
          aria-label={`Move ${name}`}
          className={`${tool} cursor-grab touch-none`}
        >
          <GripVertical aria-hidden className="size-5" />
        </button>
        <span className="wrap-anywhere min-w-0 grow font-medium">{visible(name)}</span>
        <button type="button" aria-label={`Take ${name} off`} onClick={remove} className={tool}>
          <X aria-hidden className="size-4" />
        </button>
      </div>
      <label className="flex items-center gap-2 text-sm">
        <span className="text-faint">{USUAL[tile.sort].name.toLowerCase()},</span>
        <select
          aria-label={`Size of ${name}`}
          value={tile.size}
          onChange={(event) => set({ size: event.target.value as TileOf["size"] })}
          className="field w-28"
        >
          {SIZES.map((size) => (
            <option key={size}>{size}</option>
          ))}
        </select>
      </label>
      {(tile.sort === "text" || tile.sort === "picture") && (
        <Typed
          label={tile.sort === "text" ? "Text" : "What it shows"}
          value={tile.text}
          long={tile.sort === "text"}
          onKeep={(text) => set({ text })}
        />
      )}
      {tile.sort === "scene" && <SceneChoice of={tile.text} onScene={(text) => set({ text })} />}
      {tile.sort === "picture" && (
        <Typed
          label="Address of the snapshot"
          value={tile.address}
          placeholder="http://192.0.2.30/snapshot.jpg"
          onKeep={(address) => set({ address })}
        />
      )}
      {tile.sort !== "value" && USUAL[tile.sort].most > 0 && (
        <Chosen
          entities={[...known.entities.values()]}
          of={tile.of}
          most={USUAL[tile.sort].most}
          name={name}
          onOf={(of) => set({ of })}
        />
      )}
    </li>
  );
}

/** Which scene a tile recalls. */
function SceneChoice({ of, onScene }: { of: string; onScene: (scene: string) => void }) {
  const scenes = useScenes();
  return (
    <Labelled label="Scene" hint={scenes.data?.length === 0 ? "Record one first." : undefined}>
      <select value={of} onChange={(event) => onScene(event.target.value)} className="field">
        <option value="">choose a scene …</option>
        {(scenes.data ?? []).map((one) => (
          <option key={one.scene} value={one.scene}>
            {one.title}
          </option>
        ))}
      </select>
    </Labelled>
  );
}

/** A text that is one change when it is left, not one for each letter. */
function Typed({
  label,
  value,
  long,
  placeholder,
  onKeep,
}: {
  label: string;
  value: string;
  long?: boolean;
  placeholder?: string;
  onKeep: (text: string) => void;
}) {
  const [typed, setTyped] = useState(value);
  const rest = {
    value: typed,
    maxLength: 500,
    placeholder,
    className: "field",
    onBlur: () => typed !== value && onKeep(typed),
  };
  return (
    <Labelled label={label}>
      {long ? (
        <textarea rows={3} {...rest} onChange={(event) => setTyped(event.target.value)} />
      ) : (
        <input {...rest} onChange={(event) => setTyped(event.target.value)} />
      )}
    </Labelled>
  );
}

/** The values of a tile that has several. */
function Chosen({
  entities,
  of,
  most,
  name,
  onOf,
}: {
  entities: Entity[];
  of: string[];
  most: number;
  name: string;
  onOf: (of: string[]) => void;
}) {
  const spoken = new Map(entities.map((one) => [one.entity, one.spoken]));
  return (
    <div className="space-y-1">
      {most > 1 && (
        <ul className="space-y-1">
          {of.map((one) => (
            <li key={one} className="flex items-center justify-between gap-2 text-sm">
              <span className="wrap-anywhere min-w-0">{visible(spoken.get(one) ?? one)}</span>
              <button
                type="button"
                aria-label={`Take ${spoken.get(one) ?? one} out`}
                onClick={() => onOf(of.filter((other) => other !== one))}
                className="text-act pointer-coarse:min-h-11 pointer-coarse:min-w-8"
              >
                <X aria-hidden className="size-4" />
              </button>
            </li>
          ))}
        </ul>
      )}
      {(most === 1 || of.length < most) && (
        <select
          aria-label={`Add a value to ${name}`}
          value={most === 1 ? (of[0] ?? "") : ""}
          onChange={(event) =>
            onOf(most === 1 ? [event.target.value] : [...of, event.target.value])
          }
          className="field"
        >
          <option value="" disabled>
            {most === 1 ? "choose a value …" : "add a value …"}
          </option>
          {entities
            .filter((one) => most === 1 || !of.includes(one.entity))
            .map((one) => (
              <option key={one.entity} value={one.entity}>
                {one.spoken}
              </option>
            ))}
        </select>
      )}
    </div>
  );
}
