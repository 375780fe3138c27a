// A second factor for signing in: set up in three steps, or removed.
import { useQueryClient } from "@tanstack/react-query";
import type { FormEvent } from "react";
import * as changes from "../../api/changes";
import { keys } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Button, Failure, Labelled } from "../../ui/parts";
import { Secret } from "../../ui/Secret";

export function Second({ on }: { on: boolean }) {
  const cache = useQueryClient();
  const begin = useChange({ mutationFn: changes.beginSecond });
  const confirm = useChange({ mutationFn: changes.confirmSecond });
  const remove = useChange({
    mutationFn: changes.removeSecond,
    onSuccess: () => cache.invalidateQueries({ queryKey: keys.session }),
  });
  function submit(name: string, send: (value: string) => void) {
    return (event: FormEvent<HTMLFormElement>) => {
      event.preventDefault();
      send(String(new FormData(event.currentTarget).get(name)));
    };
  }
  const password = (
    <Labelled label="Your password, to be sure">
      <input
        name="own"
        type="password"
        required
        autoComplete="current-password"
        className="field"
      />
    </Labelled>
  );
  return (
    <section aria-labelledby="second">
      <h2 id="second" className="mb-3 text-xl">
        Second factor
      </h2>
      {confirm.data ? (
        <div role="status" className="space-y-3">
          <p>
            It is on. Keep these codes where you find them without your phone. Each counts once.
          </p>
          <Secret label="Recovery codes" value={confirm.data.codes.join("  ")} />
        </div>
      ) : on ? (
        <form onSubmit={submit("own", (own) => remove.mutate(own))} className="space-y-3">
          <p className="text-faint">You sign in with a code of your app.</p>
          {password}
          {remove.error && <Failure error={remove.error} />}
          <Button type="submit" look="grave" disabled={remove.isPending}>
            Do without it
          </Button>
        </form>
      ) : begin.data ? (
        <form onSubmit={submit("code", (code) => confirm.mutate(code))} className="space-y-3">
          <p>Scan this with an app for one-time codes, and give the code that it shows.</p>
          <img
            alt="QR code for the app"
            width="180"
            src={`data:image/svg+xml;utf8,${encodeURIComponent(begin.data.svg)}`}
          />
          <Secret label="Or type this into the app" value={begin.data.secret} />
          <Labelled label="Code">
            <input
              name="code"
              required
              inputMode="numeric"
              autoComplete="one-time-code"
              className="field"
            />
          </Labelled>
          {confirm.error && <Failure error={confirm.error} />}
          <Button type="submit" look="main" disabled={confirm.isPending}>
            Turn it on
          </Button>
        </form>
      ) : (
        <form onSubmit={submit("own", (own) => begin.mutate(own))} className="space-y-3">
          <p className="text-faint">
            With it, a stolen password alone opens nothing: you also give a code of an app.
          </p>
          {password}
          {begin.error && <Failure error={begin.error} />}
          <Button type="submit" disabled={begin.isPending}>
            Set it up
          </Button>
        </form>
      )}
    </section>
  );
}
