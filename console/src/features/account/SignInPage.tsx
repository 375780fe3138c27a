// Signing in.
import { useQuery } from "@tanstack/react-query";
import { Navigate, useLocation } from "react-router";
import * as changes from "../../api/changes";
import { api, ask } from "../../api/client";
import { useChange } from "../../api/useChange";
import { Labelled } from "../../ui/parts";
import { Door } from "./Door";
import { useEnter } from "./useEnter";

export function SignInPage() {
  const from = (useLocation().state as { from?: string } | null)?.from ?? "/";
  const enter = useEnter(from);
  const claimed = useQuery({ queryKey: ["claimed"], queryFn: () => ask(api.GET("/api/claim")) });
  const signIn = useChange({
    mutationFn: (body: { username: string; password: string }) => changes.signIn(body),
    onSuccess: enter,
  });
  if (claimed.data && !claimed.data.claimed) return <Navigate to="/claim" replace />;
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
    </Door>
  );
}
