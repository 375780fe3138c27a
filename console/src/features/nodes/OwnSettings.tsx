// What a node lets be changed of itself, and what it can be asked to do. What the node
// answers is what is shown.
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useId, useState } from "react";
import * as changes from "../../api/changes";
import type { HubNode, NodeAction, Setting } from "../../api/client";
import { keys, useSettings } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Await, Button, Failure } from "../../ui/parts";

export function OwnSettings({ node }: { node: HubNode }) {
  const settings = useSettings(node.node);
  const [said, setSaid] = useState("");
  if (node.settings.length === 0) return null;
  return (
    <section aria-labelledby="own-settings">
      <h2 id="own-settings" className="mb-3 text-xl">
        Its own settings
      </h2>
      <p aria-live="polite" className="sr-only">
        {said}
      </p>
      <Await of={settings} lines={2}>
        {(found) => (
          <ul className="rule border-b">
            {found.map((one) => (
              // The value is part of the key: what the node says now goes before what
              // was typed.
              <One
                key={`${one.name} ${one.value}`}
                node={node.node}
                setting={one}
                onSet={(to) => setSaid(`${one.title} is set to ${to}.`)}
              />
            ))}
          </ul>
        )}
      </Await>
    </section>
  );
}

function One({
  node,
  setting,
  onSet,
}: {
  node: string;
  setting: Setting;
  onSet: (to: string) => void;
}) {
  const cache = useQueryClient();
  const id = useId();
  const change = useChange({
    mutationFn: (value: string) => changes.changeSetting(node, setting.name, value),
    onSuccess: (_, value) => {
      onSet(`${value} ${setting.unit}`.trim());
      for (const queryKey of [keys.nodes, keys.settings(node)])
        void cache.invalidateQueries({ queryKey });
    },
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    change.mutate(String(new FormData(event.currentTarget).get("value") ?? ""));
  }
  return (
    <li className="rule border-t py-2">
      <form onSubmit={submit} className="flex flex-wrap items-center gap-3">
        <label htmlFor={id} className="min-w-0 flex-1 basis-32 break-words">
          {setting.title}
          <span className="block text-faint text-sm">{limits(setting)}</span>
        </label>
        <Field id={id} name="value" setting={setting} />
        <Button type="submit" disabled={change.isPending} aria-label={`Set ${setting.title}`}>
          {change.isPending ? "asked …" : "Set"}
        </Button>
      </form>
      {change.error && <Failure error={change.error} />}
    </li>
  );
}

function limits(setting: Setting): string {
  const told = setting.value === null ? "not told yet" : "";
  if (setting.choices.length > 0 || setting.type === "boolean") return told;
  const range =
    setting.low !== null || setting.high !== null
      ? `${setting.low ?? ""} to ${setting.high ?? ""} ${setting.unit}`
      : setting.unit;
  return [range.trim(), told].filter(Boolean).join(", ");
}

function Field({ id, name, setting }: { id: string; name: string; setting: Setting }) {
  const value =
    setting.value === null || setting.value === undefined
      ? ""
      : typeof setting.value === "boolean"
        ? setting.value
          ? "on"
          : "off"
        : String(setting.value);
  const choices = setting.type === "boolean" ? ["on", "off"] : setting.choices.map(String);
  if (choices.length > 0) {
    return (
      <select id={id} name={name} defaultValue={value} className="field max-w-40 flex-[1_1_6rem]">
        {value === "" && <option value="">–</option>}
        {choices.map((one) => (
          <option key={one}>{one}</option>
        ))}
      </select>
    );
  }
  return (
    <input
      id={id}
      name={name}
      defaultValue={value}
      required
      inputMode={setting.type === "string" ? "text" : "decimal"}
      className="field max-w-40 flex-[1_1_6rem]"
    />
  );
}

export function Actions({ node }: { node: HubNode }) {
  if (node.actions.length === 0) return null;
  return (
    <section aria-labelledby="actions">
      <h2 id="actions" className="mb-3 text-xl">
        What it can be asked to do
      </h2>
      <ul className="rule border-b">
        {node.actions.map((action) => (
          <OneAction key={action.name} node={node.node} action={action} />
        ))}
      </ul>
    </section>
  );
}

function OneAction({ node, action }: { node: string; action: NodeAction }) {
  const id = useId();
  const act = useChange({
    mutationFn: (inputs: Record<string, unknown>) => changes.act(node, action.name, inputs),
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    act.mutate(
      Object.fromEntries(action.inputs.map((input) => [input.name, values.get(input.name)])),
    );
  }
  return (
    <li className="rule border-t py-2">
      <form onSubmit={submit} className="flex flex-wrap items-center gap-3">
        <span className="grow">
          {action.title}
          <span className="block text-faint text-sm">{action.about}</span>
        </span>
        {action.inputs.map((input) => (
          <label
            key={input.name}
            htmlFor={`${id} ${input.name}`}
            className="flex items-center gap-2"
          >
            <span className="text-faint text-sm">
              {input.title} {input.unit}
            </span>
            <Field id={`${id} ${input.name}`} name={input.name} setting={input} />
          </label>
        ))}
        <Button type="submit" disabled={act.isPending}>
          {action.title}
        </Button>
      </form>
      <div aria-live="polite" className="text-faint text-sm">
        {act.isSuccess &&
          (act.data.answer ? `It answers: ${JSON.stringify(act.data.answer)}` : "Done.")}
      </div>
      {act.error && <Failure error={act.error} />}
    </li>
  );
}
