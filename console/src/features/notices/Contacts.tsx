// How each person is reached, and when they are left in peace.
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import * as changes from "../../api/changes";
import type { Contact, Presence } from "../../api/client";
import { keys, useContacts, usePresence } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Asked } from "../../ui/Asked";
import { Await, Button, Failure } from "../../ui/parts";
import { visible } from "../../ui/visible";

const BY: Record<Contact["sort"], string> = {
  phone: "phone, through",
  mail: "mail to",
  post: "posts to",
  loudspeaker: "spoken by",
};

export function Contacts() {
  const people = usePresence();
  const contacts = useContacts();
  return (
    <Await of={people} lines={3}>
      {(found) => (
        <ul className="rule border-b">
          {found.map((person) => (
            <li key={person.person} className="rule border-t py-3">
              <Person
                person={person}
                contacts={(contacts.data ?? []).filter((one) => one.person === person.person)}
              />
            </li>
          ))}
        </ul>
      )}
    </Await>
  );
}

function Person({ person, contacts }: { person: Presence; contacts: Contact[] }) {
  return (
    <>
      <div className="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1">
        <h3 className="text-lg">{visible(person.person)}</h3>
        <Quiet person={person} />
      </div>
      {contacts.length === 0 ? (
        <p className="text-faint">{visible(person.person)} has no contact yet.</p>
      ) : (
        <ul>
          {contacts.map((contact) => (
            <li key={contact.id}>
              <OneContact contact={contact} />
            </li>
          ))}
        </ul>
      )}
    </>
  );
}

function OneContact({ contact }: { contact: Contact }) {
  const cache = useQueryClient();
  const [tried, setTried] = useState(false);
  const test = useChange({
    mutationFn: () => changes.testContact(contact.id),
    onSuccess: () => setTried(true),
  });
  const remove = useChange({
    mutationFn: () => changes.removeContact(contact.id),
    onSuccess: () => cache.invalidateQueries({ queryKey: keys.contacts }),
  });
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 py-1">
      <span className="min-w-0 grow basis-40 break-words">
        {visible(contact.name)}{" "}
        <span className="text-faint text-sm">
          {BY[contact.sort]} {visible(contact.address)}
        </span>
      </span>
      {tried && (
        <span role="status" className="text-faint text-sm">
          On its way; see below.
        </span>
      )}
      <Button onClick={() => test.mutate(undefined)} disabled={test.isPending}>
        Try it<span className="sr-only"> {contact.name}</span>
      </Button>
      <Asked
        title={`Remove ${contact.name}?`}
        label={`Remove ${contact.name}`}
        yes="Remove"
        busy={remove.isPending}
        error={remove.error}
        onYes={(done) => remove.mutate(undefined, { onSuccess: done })}
      >
        <p>
          {visible(contact.person)} is told nothing over it any more.
          {contact.sort === "phone" && " A phone can add itself again."}
        </p>
      </Asked>
      {test.error && <Failure error={test.error} />}
    </div>
  );
}

function Quiet({ person }: { person: Presence }) {
  const cache = useQueryClient();
  const save = useChange({
    mutationFn: (quiet: string) => changes.changePerson(person.person, { quiet }),
    onSuccess: () => cache.invalidateQueries({ queryKey: keys.presence }),
  });
  const [from, to] = person.quiet ? person.quiet.split("-") : ["22:00", "06:30"];
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    save.mutate(`${values.get("from")}-${values.get("to")}`);
  }
  return (
    <details className="text-right">
      <summary className="cursor-pointer text-act text-sm">
        {person.quiet ? `quiet at ${person.quiet}` : "no quiet hours"}
      </summary>
      <form
        key={person.quiet}
        onSubmit={submit}
        className="mt-2 flex flex-wrap items-center justify-end gap-2"
      >
        <input
          type="time"
          name="from"
          required
          defaultValue={from}
          aria-label="Quiet from"
          className="field w-28"
        />
        to
        <input
          type="time"
          name="to"
          required
          defaultValue={to}
          aria-label="Quiet to"
          className="field w-28"
        />
        <Button type="submit" disabled={save.isPending}>
          Keep it
        </Button>
        {person.quiet && (
          <Button onClick={() => save.mutate("")} disabled={save.isPending}>
            None
          </Button>
        )}
        {save.error && <Failure error={save.error} />}
      </form>
      <p className="mt-1 text-faint text-sm">
        What is urgent comes all the same; the rest waits. Mail and posts are not held back.
      </p>
    </details>
  );
}
