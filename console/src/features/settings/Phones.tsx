// The household's phones, and what they were told lately.
import { useQueryClient } from "@tanstack/react-query";
import type { FormEvent } from "react";
import * as changes from "../../api/changes";
import { keys, useNotices, usePhones } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Asked } from "../../ui/Asked";
import { Ago, Await, Button, Failure, Labelled, Mark } from "../../ui/parts";
import { visible } from "../../ui/visible";
import { addThisPhone, obstacle } from "./push";

export function Phones() {
  const cache = useQueryClient();
  const phones = usePhones();
  const refresh = () => cache.invalidateQueries({ queryKey: keys.phones });
  const add = useChange({ mutationFn: addThisPhone, onSuccess: refresh });
  const test = useChange({
    mutationFn: (phone: number) => changes.testPhone(phone),
  });
  const remove = useChange({
    mutationFn: (phone: number) => changes.removePhone(phone),
    onSuccess: refresh,
  });
  const blocked = obstacle();
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    add.mutate(String(new FormData(event.currentTarget).get("name")));
  }
  return (
    <section aria-labelledby="phones">
      <h2 id="phones" className="mb-3 text-xl">
        Phones
      </h2>
      <Await of={phones} lines={2}>
        {(found) =>
          found.length === 0 ? (
            <p className="text-faint">No phone gets notifications yet.</p>
          ) : (
            <ul>
              {found.map((phone) => (
                <li key={phone.id} className="rule flex flex-wrap items-center gap-3 border-t py-2">
                  <span className="min-w-0 grow basis-40 break-words">
                    {phone.name}{" "}
                    <span className="text-faint text-sm">
                      of {phone.person}, by {phone.service}
                    </span>
                  </span>
                  <Button onClick={() => test.mutate(phone.id)}>
                    Try it<span className="sr-only"> {phone.name}</span>
                  </Button>
                  <Asked
                    title={`Remove ${phone.name}?`}
                    label={`Remove ${phone.name}`}
                    yes="Remove"
                    busy={remove.isPending}
                    error={remove.error}
                    onYes={(done) => remove.mutate(phone.id, { onSuccess: done })}
                  >
                    <p>It stops getting notices. You can add it again on the phone itself.</p>
                  </Asked>
                </li>
              ))}
            </ul>
          )
        }
      </Await>
      {test.error && <Failure error={test.error} />}
      <form onSubmit={submit} className="mt-4 space-y-3">
        <Labelled
          label="Name of this device"
          hint={blocked || "The browser asks for permission to show notifications."}
        >
          <input
            name="name"
            required
            placeholder="like Ada's phone"
            className="field"
            disabled={blocked !== ""}
          />
        </Labelled>
        {add.error && <Failure error={add.error} />}
        <Button type="submit" look="main" disabled={add.isPending || blocked !== ""}>
          {add.isPending ? "Asking the browser …" : "Take notifications here"}
        </Button>
      </form>
      <Told />
    </section>
  );
}

function Told() {
  const notices = useNotices();
  return (
    <>
      <h3 className="mt-8 mb-2 text-lg">Notices sent</h3>
      <Await of={notices} lines={3}>
        {(found) =>
          found.length === 0 ? (
            <p className="text-faint">Nothing yet.</p>
          ) : (
            <ul>
              {found.slice(0, 12).map((notice) => (
                <li key={notice.id} className="rule border-t py-1.5">
                  <span className="font-semibold">{visible(notice.title)}</span>{" "}
                  {visible(notice.text)}
                  <div className="text-faint text-sm">
                    {notice.phone}, <Ago at={notice.at} />,{" "}
                    {notice.state === "delivered" ? (
                      "delivered"
                    ) : (
                      <Mark grave={notice.state === "failed"}>
                        {notice.state}: {notice.problem || "on its way"}
                      </Mark>
                    )}
                  </div>
                </li>
              ))}
            </ul>
          )
        }
      </Await>
    </>
  );
}
