// Claiming a new hub.
import { useQuery } from "@tanstack/react-query";
import { Navigate } from "react-router";
import * as changes from "../../api/changes";
import { api, ask } from "../../api/client";
import { useChange } from "../../api/useChange";
import { Labelled } from "../../ui/parts";
import { Door } from "./Door";
import { useEnter } from "./useEnter";

export function ClaimPage() {
  const enter = useEnter("/");
  const claimed = useQuery({ queryKey: ["claimed"], queryFn: () => ask(api.GET("/api/claim")) });
  const claim = useChange({
    mutationFn: (body: { code: string; username: string; password: string }) => changes.claim(body),
    onSuccess: enter,
  });
  if (claimed.data?.claimed && !claim.isSuccess) return <Navigate to="/sign-in" replace />;
  return (
    <Door
      title="This hub is new"
      about="It printed a code when it started. The person who enters the code becomes the owner."
      action="Make it mine"
      busy={claim.isPending}
      error={claim.error}
      onSubmit={(values) =>
        claim.mutate({
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
