// Out of one message a value is picked: where it stands, what it is, whose it is.
// Below, what the last messages would give.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import * as changes from "../../api/changes";
import {
  api,
  ask,
  type Kind,
  type Message,
  type MessageDetail,
  type Picking,
  type Previewed,
} from "../../api/client";
import { keys, useKinds } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Ago, Await, Button, Failure, Heads, Labelled, Mark } from "../../ui/parts";
import { RoomField } from "../../ui/RoomField";
import { Sheet } from "../../ui/Sheet";
import { guessKind, guessLevel, guessTitle, guessUnit, typedWords, withPlaceholder } from "./guess";

export function Pick({ message, close }: { message: Message; close: () => void }) {
  const kinds = useKinds();
  const detail = useQuery({
    queryKey: [...keys.messages, message.number],
    queryFn: () =>
      ask(api.GET("/api/messages/{number}", { params: { path: { number: message.number } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });
  return (
    <Sheet open close={close} title="Pick a value" wide>
      <Await of={detail} lines={6}>
        {(found) => (
          <Await of={kinds} lines={6}>
            {(all) => <Form message={found} kinds={all} close={close} />}
          </Await>
        )}
      </Await>
    </Sheet>
  );
}

interface Choice {
  pointer: string;
  kind: string;
  unit: string;
  title: string;
  /** What the value says now, and the words that it may say, as they are typed. */
  shown: string;
  words: string;
}

function chosen(message: MessageDetail, pointer: string, kinds: Kind[]): Choice {
  const value = message.values.find((one) => one.pointer === pointer);
  const kind = guessKind(message.topic, pointer, value?.shown ?? "", kinds);
  const units = kinds.find((one) => one.kind === kind)?.units ?? [];
  return {
    pointer,
    kind,
    unit: guessUnit(pointer, units),
    title: guessTitle(message.topic, pointer, kind, kinds.find((k) => k.kind === kind)?.title),
    shown: value?.shown ?? "",
    words: "",
  };
}

function Form({
  message,
  kinds,
  close,
}: {
  message: MessageDetail;
  kinds: Kind[];
  close: () => void;
}) {
  const cache = useQueryClient();
  const navigate = useNavigate();
  const [level, setLevel] = useState(guessLevel(message.topic));
  const [choice, setChoice] = useState(() =>
    chosen(message, message.values[0]?.pointer ?? "", kinds),
  );
  const [at, setAt] = useState("");
  const [others, setOthers] = useState<string[]>([]);
  const levels = message.topic.split("/");
  const node = level >= 0 ? (levels[level] ?? "") : "";
  const picking: Picking = {
    via: message.via === "broker" ? "broker" : "door",
    topic: withPlaceholder(message.topic, level),
    pointer: choice.pointer,
    at,
    kind: choice.kind,
    unit: choice.unit,
    words: typedWords(choice.words),
  };
  const preview = useQuery({
    queryKey: [...keys.messages, "preview", picking],
    queryFn: () => ask(api.POST("/api/picks/preview", { body: picking })),
    refetchInterval: 2000,
    retry: false,
  });
  const take = useChange({
    mutationFn: (body: Parameters<typeof pickBody>[1]) => changes.takePick(pickBody(picking, body)),
    onSuccess: (made) => {
      for (const queryKey of [keys.entities, keys.nodes, keys.house])
        void cache.invalidateQueries({ queryKey });
      close();
      const first = made[0];
      if (first) void navigate(first.room ? `/rooms/${first.room}` : `/nodes/${first.node}`);
    },
  });
  const kind = kinds.find((one) => one.kind === choice.kind);
  // Nodes whose messages have no such value are of no interest here; the one that was
  // chosen is, whatever it says.
  const fitting = (preview.data ?? []).filter((row) => row.node === node || row.shown);
  const heard = [...new Set(fitting.map((row) => row.node))]
    .filter((one) => one && one !== node)
    .sort();

  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    const text = (name: string) => String(values.get(name) ?? "").trim();
    const write = text("write-topic") || text("write-payload");
    take.mutate({
      title: choice.title,
      nodes: level >= 0 ? [node, ...others.filter((one) => heard.includes(one))] : [],
      name: text("name"),
      room: text("room"),
      write: write
        ? { topic: text("write-topic"), payload: text("write-payload"), retain: false }
        : null,
    });
  }

  return (
    <form onSubmit={submit} className="grid gap-6">
      <fieldset>
        <legend className="mb-1 font-medium">Which value</legend>
        <div className="max-h-52 overflow-y-auto">
          {message.values.length === 0 && (
            <Mark grave>There is no single value in this message.</Mark>
          )}
          {message.values.map((one) => (
            <label
              key={one.pointer}
              className="flex cursor-pointer items-baseline gap-3 px-2 py-0.5 has-checked:bg-act has-checked:text-on-act"
            >
              <input
                type="radio"
                name="pointer"
                checked={choice.pointer === one.pointer}
                onChange={() => setChoice(chosen(message, one.pointer, kinds))}
              />
              <code className="text-sm">{one.pointer || "the whole payload"}</code>
              <span className="ml-auto font-medium">{one.shown}</span>
            </label>
          ))}
        </div>
      </fieldset>

      <fieldset>
        <legend className="mb-1 font-medium">Which part of the topic names the node</legend>
        <div className="flex flex-wrap items-center gap-1">
          {levels.map((part, place) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a level is its place
            <span key={place} className="flex items-center gap-1">
              {place > 0 && <span className="text-faint">/</span>}
              <button
                type="button"
                aria-pressed={place === level}
                onClick={() => setLevel(place === level ? -1 : place)}
                className="rounded-sm border border-rule px-2 py-0.5 aria-pressed:border-act aria-pressed:bg-act aria-pressed:text-on-act"
              >
                {part || "(empty)"}
              </button>
            </span>
          ))}
        </div>
      </fieldset>

      <div className="grid gap-4 sm:grid-cols-3">
        <Labelled label="Name of the value">
          <input
            className="field"
            required
            value={choice.title}
            onChange={(event) => setChoice({ ...choice, title: event.target.value })}
          />
        </Labelled>
        <Labelled label="Kind">
          <select
            className="field"
            value={choice.kind}
            onChange={(event) => {
              const to = kinds.find((one) => one.kind === event.target.value);
              const words = to?.own_words ? (to.words?.join(", ") ?? choice.shown) : "";
              setChoice({ ...choice, kind: event.target.value, unit: "", words });
            }}
          >
            {kinds.map((one) => (
              <option key={one.kind} value={one.kind}>
                {one.title}
              </option>
            ))}
          </select>
        </Labelled>
        {kind?.own_words ? (
          <Labelled label="The words that it says" hint="with commas between them">
            <input
              className="field"
              required
              value={choice.words}
              onChange={(event) => setChoice({ ...choice, words: event.target.value })}
            />
          </Labelled>
        ) : (
          <Labelled label="The node’s unit">
            <select
              className="field"
              value={choice.unit}
              disabled={!kind?.unit}
              onChange={(event) => setChoice({ ...choice, unit: event.target.value })}
            >
              <option value="">{kind?.unit || "none"}</option>
              {kind?.units
                .filter((unit) => unit !== kind.unit)
                .map((unit) => (
                  <option key={unit}>{unit}</option>
                ))}
            </select>
          </Labelled>
        )}
        <Labelled label="Name of the node">
          <input
            name="name"
            className="field"
            key={node}
            defaultValue={message.node || node}
            required={level < 0}
          />
        </Labelled>
        {/* A node that is there already has its room. */}
        {!message.node && <RoomField />}
        <Labelled label="Its time stands at">
          <select className="field" value={at} onChange={(event) => setAt(event.target.value)}>
            <option value="">none: use the time of arrival</option>
            {message.values.map(
              (one) => one.pointer && <option key={one.pointer}>{one.pointer}</option>,
            )}
          </select>
        </Labelled>
      </div>

      {heard.length > 0 && (
        <fieldset className="flex flex-wrap gap-x-5">
          <legend className="mb-1 font-medium">Do the same for these nodes</legend>
          {heard.map((one) => (
            <label key={one} className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={others.includes(one)}
                onChange={(event) =>
                  setOthers(
                    event.target.checked
                      ? [...others, one]
                      : others.filter((other) => other !== one),
                  )
                }
              />
              {one}
            </label>
          ))}
        </fieldset>
      )}

      <details>
        <summary className="cursor-pointer text-act">It can also be set</summary>
        <div className="mt-3 grid gap-4 sm:grid-cols-2">
          <Labelled
            label="Topic that asks for a value"
            hint="With {node} where the node’s name stands."
          >
            <input
              name="write-topic"
              className="field"
              autoComplete="off"
              placeholder={picking.topic.replace(/[^/]*$/, "set")}
            />
          </Labelled>
          <Labelled label="Payload to send" hint="With {value}, or {1|0}, where the value stands.">
            <input
              name="write-payload"
              className="field"
              autoComplete="off"
              placeholder={'{"state": {1|0}}'}
            />
          </Labelled>
        </div>
      </details>

      <Outlook rows={{ data: preview.data && fitting, error: preview.error }} />
      {take.error && <Failure error={take.error} />}
      <div className="flex justify-end gap-3">
        <Button onClick={close}>Not now</Button>
        <Button type="submit" look="main" disabled={take.isPending || message.values.length === 0}>
          Make it an entity
        </Button>
      </div>
    </form>
  );
}

interface Named {
  title: string;
  nodes: string[];
  name: string;
  room: string;
  write: { topic: string; payload: string; retain: boolean } | null;
}

function pickBody(picking: Picking, named: Named) {
  return { ...picking, ...named };
}

function Outlook({ rows }: { rows: { data: Previewed[] | undefined; error: Error | null } }) {
  return (
    <section aria-label="What the last messages would have given">
      <h3 className="mb-1 font-medium font-sans">What the last messages would have given</h3>
      <Await of={rows} lines={2}>
        {(found) =>
          found.length === 0 ? (
            <p className="text-faint">No message under this topic is known.</p>
          ) : (
            <table className="w-full text-left text-sm">
              <Heads
                of="Values in the last messages"
                names={["node", "value", "heard"]}
                right={["value"]}
              />
              <tbody>
                {found.slice(0, 5).map((row) => (
                  <tr key={row.number} className="rule border-t">
                    <td className="py-1 pr-4">{row.node || row.topic}</td>
                    <td className="pr-4 text-right">
                      {row.problem ? (
                        <Mark>{row.problem}</Mark>
                      ) : (
                        <span className="font-semibold">{row.shown}</span>
                      )}
                    </td>
                    <td>
                      <Ago at={row.at} />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )
        }
      </Await>
    </section>
  );
}
