// MQTT accounts for boards and programs of a person's own: which topics each may use, its key, and
// shutting it out.
import { useQueryClient } from "@tanstack/react-query";
import type { FormEvent } from "react";
import * as changes from "../../api/changes";
import { keys, useMqttAccounts } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Asked } from "../../ui/Asked";
import { Await, Button, Failure, Labelled } from "../../ui/parts";
import { Secret } from "../../ui/Secret";

function filters(text: FormDataEntryValue | null): string[] {
  return String(text ?? "")
    .split(/[\s,]+/)
    .filter(Boolean);
}

export function MqttAccounts() {
  const cache = useQueryClient();
  const mqttAccounts = useMqttAccounts();
  const refresh = () => cache.invalidateQueries({ queryKey: keys.mqttAccounts });
  const add = useChange({
    mutationFn: (body: { name: string; publish: string[]; subscribe: string[] }) =>
      changes.addMqttAccount(body),
    onSuccess: refresh,
  });
  const rotate = useChange({
    mutationFn: (account: string) => changes.newMqttAccountKey(account),
  });
  const remove = useChange({
    mutationFn: (account: string) => changes.removeMqttAccount(account),
    onSuccess: refresh,
  });
  const made = rotate.data ?? add.data;
  const error = add.error ?? rotate.error;
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = event.currentTarget;
    const values = new FormData(form);
    rotate.reset();
    add.mutate(
      {
        name: String(values.get("name")),
        publish: filters(values.get("publish")),
        subscribe: filters(values.get("subscribe")),
      },
      { onSuccess: () => form.reset() },
    );
  }
  return (
    <section aria-labelledby="mqtt-accounts">
      <h2 id="mqtt-accounts" className="mb-1 text-xl">
        MQTT accounts
      </h2>
      <p className="mb-3 text-faint">
        Your own boards and programs that may publish and subscribe. Each signs in with its name and
        key.
      </p>
      <Await of={mqttAccounts} lines={2}>
        {(found) => (
          <ul className="rule mb-4 border-b">
            {found.map((account) => (
              <li
                key={account.account}
                className="rule flex flex-wrap items-center gap-x-4 gap-y-1 border-t py-2"
              >
                <div className="min-w-0 grow basis-40 break-words">
                  <span className="font-medium">{account.account}</span>
                  <div className="text-faint text-sm">
                    publishes {account.publish.join(", ") || "nothing"}; hears{" "}
                    {account.subscribe.join(", ") || "nothing"}
                  </div>
                </div>
                <Button
                  onClick={() => rotate.mutate(account.account)}
                  aria-label={`New key for ${account.account}`}
                >
                  New key
                </Button>
                <Asked
                  title={`Remove ${account.account}?`}
                  label={`Remove ${account.account}`}
                  yes="Remove"
                  busy={remove.isPending}
                  error={remove.error}
                  onYes={(done) => remove.mutate(account.account, { onSuccess: done })}
                >
                  <p>Its key stops working at once, and everything that uses it is disconnected.</p>
                </Asked>
              </li>
            ))}
          </ul>
        )}
      </Await>
      {made && (
        <div className="mb-4">
          <Secret label={`Key of ${made.account}, shown this once`} value={made.key} />
        </div>
      )}
      <form onSubmit={submit} className="grid items-end gap-4 sm:grid-cols-[1fr_1fr_1fr_auto]">
        <Labelled label="Name">
          <input
            name="name"
            required
            autoComplete="off"
            className="field"
            placeholder="mill-logger"
          />
        </Labelled>
        <Labelled label="May publish">
          <input name="publish" autoComplete="off" className="field" placeholder="mill/#" />
        </Labelled>
        <Labelled label="May hear">
          <input name="subscribe" autoComplete="off" className="field" placeholder="mill/+/set" />
        </Labelled>
        <Button type="submit" disabled={add.isPending}>
          Let it in
        </Button>
      </form>
      {error && <Failure error={error} />}
    </section>
  );
}
