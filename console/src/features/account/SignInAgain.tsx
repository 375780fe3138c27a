// Signing in again, over the page: nothing that was typed on it is lost.
import { useQueryClient } from "@tanstack/react-query";
import type { FormEvent } from "react";
import * as changes from "../../api/changes";
import { keys } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Failure, Labelled } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";

export function SignInAgain({ person }: { person: string }) {
  const cache = useQueryClient();
  const signIn = useChange({
    mutationFn: (body: { username: string; password: string }) => changes.signIn(body),
    onSuccess: (session) => {
      // Another person sees nothing of what this one had fetched.
      if (session.username !== person) cache.clear();
      cache.setQueryData(keys.session, session);
      void cache.invalidateQueries();
    },
  });
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const values = new FormData(event.currentTarget);
    signIn.mutate({
      username: String(values.get("username")),
      password: String(values.get("password")),
    });
  }
  return (
    <Sheet open close={() => undefined} title="Sign in again">
      <form onSubmit={submit} className="space-y-4">
        <p className="text-faint">Your session has ended. What you typed is still here.</p>
        <Labelled label="Name">
          <input
            name="username"
            required
            autoComplete="username"
            defaultValue={person}
            className="field"
          />
        </Labelled>
        <Labelled label="Password">
          <input
            name="password"
            type="password"
            required
            data-autofocus
            autoComplete="current-password"
            className="field"
          />
        </Labelled>
        {signIn.error && <Failure error={signIn.error} />}
        <Button type="submit" look="main" disabled={signIn.isPending} className="w-full py-2">
          Sign in
        </Button>
      </form>
    </Sheet>
  );
}
