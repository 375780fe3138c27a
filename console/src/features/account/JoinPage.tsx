// Joining the house with an invitation, or setting a new password with a link.
import { useQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import * as changes from "../../api/changes";
import { api, ask, type Schemas } from "../../api/client";
import { useChange } from "../../api/useChange";
import { Failure, Labelled, Shape } from "../../ui/parts";
import { visible } from "../../ui/visible";
import { Door } from "./Door";
import { useEnter } from "./useEnter";

type Invited = Schemas["Invited"];

export function JoinPage() {
  const [query] = useSearchParams();
  const code = query.get("code") ?? "";
  const enter = useEnter("/");
  const join = useChange({
    mutationFn: (body: Schemas["JoinRequest"]) => changes.join(body),
    onSuccess: enter,
  });
  const invited = useQuery({
    queryKey: ["join", code],
    queryFn: () => ask(api.GET("/api/join", { params: { query: { code } } })),
    retry: false,
    // Once it was used, it is not asked about again.
    enabled: !join.isSuccess,
  });
  if (invited.error)
    return (
      <main className="mx-auto max-w-sm px-4 pt-[12vh]">
        <Failure error={invited.error} />
        <p className="mt-4">
          <Link className="text-act underline" to="/sign-in">
            Sign in
          </Link>
        </p>
      </main>
    );
  if (!invited.data)
    return (
      <main className="mx-auto max-w-sm px-4 pt-[12vh]">
        <Shape lines={4} />
      </main>
    );
  const { role, person } = invited.data;
  return (
    <Door
      title={person ? "A new password" : `Welcome to ${visible(invited.data.house)}`}
      about={about(invited.data)}
      action={person ? "Keep it and sign in" : role === "wall" ? "Set up this screen" : "Join"}
      busy={join.isPending}
      error={join.error}
      onSubmit={(values) =>
        join.mutate({
          code,
          username: String(values.get("username") ?? ""),
          password: String(values.get("password") ?? ""),
        })
      }
    >
      {!person && (
        <Labelled
          label={role === "wall" ? "Name of this screen" : "Your name"}
          hint={role === "wall" ? "Like hall-tablet." : "You sign in with it."}
        >
          <input name="username" required autoComplete="username" className="field" />
        </Labelled>
      )}
      {role !== "wall" && (
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
      )}
    </Door>
  );
}

function about({ role, person }: Invited): string {
  if (person) return `${person}, choose a new password. Everywhere else you are signed out.`;
  if (role === "guest") return "You are invited as a guest: you see and switch some of the rooms.";
  if (role === "wall") return "This screen will show a page of the house, and stay signed in.";
  return "You are invited to the household. Choose how you sign in.";
}
