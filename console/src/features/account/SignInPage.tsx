// Signing in.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Navigate, useLocation } from "react-router";
import * as changes from "../../api/changes";
import { api, ask, type Schemas } from "../../api/client";
import { useChange } from "../../api/useChange";
import { Labelled } from "../../ui/parts";
import { Door } from "./Door";
import { useEnter } from "./useEnter";

export function SignInPage() {
  const from = (useLocation().state as { from?: string } | null)?.from ?? "/";
  const enter = useEnter(from);
  const owned = useQuery({
    queryKey: ["owned"],
    queryFn: () => ask(api.GET("/api/first-sign-in")),
  });
  const signIn = useChange({
    mutationFn: (body: Schemas["SignInRequest"]) => changes.signIn(body),
    onSuccess: enter,
  });
  // Once the hub has asked for a code, it is asked for until one is in.
  const [coded, setCoded] = useState(false);
  const wanted = coded || (signIn.error?.message ?? "").includes("second factor");
  if (wanted && !coded) setCoded(true);
  if (owned.data && !owned.data.owned) return <Navigate to="/first-sign-in" replace />;
  return (
    <Door
      title="Come in"
      about="Sign in with your name in this house."
      action="Sign in"
      busy={signIn.isPending}
      error={signIn.error}
      onSubmit={(values) =>
        signIn.mutate({
          username: String(values.get("username")),
          password: String(values.get("password")),
          code: String(values.get("code") ?? ""),
        })
      }
    >
      <Labelled label="Name">
        <input name="username" required autoComplete="username" className="field" />
      </Labelled>
      <Labelled label="Password">
        <input
          name="password"
          type="password"
          required
          autoComplete="current-password"
          className="field"
        />
      </Labelled>
      {wanted && (
        <Labelled label="Code" hint="Of your app, or one of your recovery codes.">
          <input
            name="code"
            required
            // biome-ignore lint/a11y/noAutofocus: it appears because it is asked for now
            autoFocus
            autoComplete="one-time-code"
            className="field"
          />
        </Labelled>
      )}
    </Door>
  );
}
