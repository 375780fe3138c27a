// People: who belongs to the house and what they may, and one's own password.
import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import * as changes from "../../api/changes";
import type { Schemas } from "../../api/client";
import { keys, useInvitations, usePeople } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Asked } from "../../ui/Asked";
import { Ago, Await, Button, Failure, Labelled, Page } from "../../ui/parts";
import { visible } from "../../ui/visible";
import { Invitation, type Made } from "./Invitation";
import { PlaceFields, placeOf } from "./PlaceFields";
import { Second } from "./Second";
import { Browsers, Programs } from "./SignedIn";

type Person = Schemas["Person"];

export function PeoplePage({ role, second }: { role: string; second: boolean }) {
  return (
    <Page title="People">
      <div className="grid gap-x-12 gap-y-10 lg:grid-cols-[3fr_2fr]">
        <div className="space-y-10">
          {role === "owner" && <Members />}
          <Browsers />
          <Programs />
        </div>
        <div className="space-y-10">
          {role === "owner" && <Invite />}
          {role === "owner" && <Invitations />}
          <Password />
          <Second on={second} />
        </div>
      </div>
    </Page>
  );
}

function Members() {
  const people = usePeople();
  return (
    <section aria-labelledby="people">
      <h2 id="people" className="mb-3 text-xl">
        Who can sign in
      </h2>
      <Await of={people} lines={3}>
        {(found) => (
          <ul className="rule border-b">
            {found.map((person) => (
              <li key={person.username} className="rule border-t py-3">
                <OnePerson person={person} />
              </li>
            ))}
          </ul>
        )}
      </Await>
    </section>
  );
}

function sees(person: Person): string {
  if (person.role === "guest") return `guest: ${person.rooms.join(", ")}`;
  if (person.role === "wall")
    return `wall: ${person.dashboard}${person.switches ? "" : ", switches nothing"}`;
  return person.role;
}

function OnePerson({ person }: { person: Person }) {
  const cache = useQueryClient();
  const refresh = () => {
    for (const queryKey of [keys.people, keys.presence, keys.contacts])
      void cache.invalidateQueries({ queryKey });
  };
  const [changing, setChanging] = useState(false);
  const [link, setLink] = useState<Made>();
  const name = person.username;
  const change = useChange({
    mutationFn: (place: Schemas["PlaceRequest"]) => changes.changePersonsRole(name, place),
    onSuccess: () => {
      refresh();
      setChanging(false);
    },
  });
  const remove = useChange({
    mutationFn: () => changes.removePerson(name),
    onSuccess: refresh,
  });
  const reset = useChange({
    mutationFn: () => changes.resetPassword(name),
    onSuccess: (made) => {
      setLink(made);
      void cache.invalidateQueries({ queryKey: keys.invitations });
    },
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    change.mutate(placeOf(new FormData(event.currentTarget)));
  }
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <span className="min-w-0 grow basis-48 break-words">
          <span className="font-semibold">{visible(name)}</span>{" "}
          <span className="text-faint">
            {sees(person)}
            {person.last !== null && (
              <>
                , signed in <Ago at={person.last} />
              </>
            )}
          </span>
        </span>
        <Button onClick={() => setChanging(!changing)} aria-expanded={changing}>
          Change<span className="sr-only"> {name}</span>
        </Button>
        {person.role !== "wall" && (
          <Button onClick={() => reset.mutate(undefined)}>
            New password<span className="sr-only"> for {name}</span>
          </Button>
        )}
        <Asked
          title={`Remove ${name}?`}
          label={`Remove ${name}`}
          yes="Remove"
          busy={remove.isPending}
          error={remove.error}
          onYes={(done) => remove.mutate(undefined, { onSuccess: done })}
        >
          <p>
            {visible(name)} cannot sign in any more. Their programs are signed out, and their phones
            get no notices.
          </p>
        </Asked>
      </div>
      {changing && (
        <form onSubmit={submit} className="mt-3 space-y-3">
          <PlaceFields place={person} />
          {change.error && <Failure error={change.error} />}
          <Button type="submit" disabled={change.isPending}>
            Keep it
          </Button>
        </form>
      )}
      {reset.error && <Failure error={reset.error} />}
      {link && (
        <Invitation made={link}>With this link {visible(name)} sets a new password.</Invitation>
      )}
    </>
  );
}

type Open = Schemas["OpenInvitation"];

function Invitations() {
  const open = useInvitations();
  if (!open.data || open.data.length === 0) return null;
  return (
    <section aria-labelledby="invitations">
      <h2 id="invitations" className="mb-3 text-xl">
        Open invitations
      </h2>
      <ul className="rule border-b">
        {open.data.map((one) => (
          <li key={one.number} className="rule border-t py-3">
            <OpenInvitation one={one} />
          </li>
        ))}
      </ul>
    </section>
  );
}

function OpenInvitation({ one }: { one: Open }) {
  const cache = useQueryClient();
  const revoke = useChange({
    mutationFn: () => changes.revokeInvitation(one.number),
    onSuccess: () => void cache.invalidateQueries({ queryKey: keys.invitations }),
  });
  const what = one.person
    ? `New password for ${visible(one.person)}`
    : one.role === "guest"
      ? `Guest: ${one.rooms.join(", ")}`
      : one.role === "wall"
        ? `Wall: ${one.dashboard}`
        : one.role === "owner"
          ? "Owner"
          : "Adult";
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <span className="min-w-0 grow basis-48 break-words">
        <span className="font-semibold">{what}</span>{" "}
        <span className="text-faint">
          made{one.by && ` by ${visible(one.by)}`} <Ago at={one.made_at} />
        </span>
      </span>
      <Button onClick={() => revoke.mutate(undefined)} disabled={revoke.isPending}>
        Revoke<span className="sr-only"> {what}</span>
      </Button>
      {revoke.error && <Failure error={revoke.error} />}
    </div>
  );
}

function Invite() {
  const cache = useQueryClient();
  const invite = useChange({
    mutationFn: changes.invite,
    onSuccess: () => void cache.invalidateQueries({ queryKey: keys.invitations }),
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    invite.mutate(placeOf(new FormData(event.currentTarget)));
  }
  return (
    <section aria-labelledby="invite">
      <h2 id="invite" className="mb-3 text-xl">
        Invite somebody
      </h2>
      <form onSubmit={submit} className="space-y-3">
        <PlaceFields />
        {invite.error && <Failure error={invite.error} />}
        <Button type="submit" look="main" disabled={invite.isPending}>
          Make an invitation
        </Button>
      </form>
      {invite.data && (
        <Invitation made={invite.data}>Whoever opens this joins the house.</Invitation>
      )}
    </section>
  );
}

function Password() {
  const [kept, setKept] = useState(false);
  const save = useChange({
    mutationFn: (body: { old: string; new: string }) => changes.changePassword(body),
    onSuccess: () => setKept(true),
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = event.currentTarget;
    const values = new FormData(form);
    save.mutate(
      { old: String(values.get("old")), new: String(values.get("new")) },
      { onSuccess: () => form.reset() },
    );
  }
  return (
    <section aria-labelledby="password">
      <h2 id="password" className="mb-3 text-xl">
        Your password
      </h2>
      <form onSubmit={submit} onChange={() => setKept(false)} className="space-y-3">
        <Labelled label="The old one">
          <input
            name="old"
            type="password"
            required
            autoComplete="current-password"
            className="field"
          />
        </Labelled>
        <Labelled label="A new one" hint="Ten characters or more.">
          <input
            name="new"
            type="password"
            required
            minLength={10}
            autoComplete="new-password"
            className="field"
          />
        </Labelled>
        {save.error && <Failure error={save.error} />}
        <div className="flex items-center gap-3">
          <Button type="submit" disabled={save.isPending}>
            Change it
          </Button>
          {kept && <span role="status">Changed. Everywhere else you are signed out.</span>}
        </div>
      </form>
    </section>
  );
}
