// The first sign-in at a new hub.
import { useQuery } from "@tanstack/react-query";
import { Navigate } from "react-router";
import * as changes from "../../api/changes";
import { api, ask } from "../../api/client";
import { useChange } from "../../api/useChange";
import { Labelled } from "../../ui/parts";
import { Door } from "./Door";
import { useEnter } from "./useEnter";

export function FirstSignInPage() {
  const enter = useEnter("/");
  const owned = useQuery({
    queryKey: ["owned"],
    queryFn: () => ask(api.GET("/api/first-sign-in")),
  });
  const signInFirst = useChange({
    mutationFn: (body: { code: string; username: string; password: string }) =>
      changes.signInFirst(body),
    onSuccess: enter,
  });
  if (owned.data?.owned && !signInFirst.isSuccess) return <Navigate to="/sign-in" replace />;
  return (
    <Door
      title="This hub is new"
      about="It printed a code when it started. The person who enters the code becomes the owner."
      action="Make it mine"
      busy={signInFirst.isPending}
      error={signInFirst.error}
      onSubmit={(values) =>
        signInFirst.mutate({
          code: String(values.get("code")),
          username: String(values.get("username")),
          password: String(values.get("password")),
        })
      }
    >
      <Labelled label="Code" hint="Eight letters and digits, where `hombi serve` runs.">
        <input
          name="code"
          required
          autoComplete="one-time-code"
          autoCapitalize="characters"
          className="field"
        />
      </Labelled>
      <Labelled label="Your name">
        <input name="username" required autoComplete="username" className="field" />
      </Labelled>
      <Labelled label="A password" hint="Ten characters or more.">
        <input
          name="password"
          type="password"
          required
          minLength={10}
          autoComplete="new-password"
          className="field"
        />
      </Labelled>
    </Door>
  );
}
