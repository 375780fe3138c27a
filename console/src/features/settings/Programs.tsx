// Programs that are signed in with a token, and making one void.
import { useQueryClient } from "@tanstack/react-query";
import * as changes from "../../api/changes";
import { keys, useTokens } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Asked } from "../../ui/Asked";
import { Ago, Await } from "../../ui/parts";
import { exact } from "../../ui/time";
import { visible } from "../../ui/visible";

export function Programs() {
  const cache = useQueryClient();
  const tokens = useTokens();
  const revoke = useChange({
    mutationFn: (token: number) => changes.revokeToken(token),
    onSuccess: () => cache.invalidateQueries({ queryKey: keys.tokens }),
  });
  return (
    <section aria-labelledby="programs">
      <h2 id="programs" className="mb-3 text-xl">
        Programs that are signed in
      </h2>
      <Await of={tokens} lines={2}>
        {(found) =>
          found.length === 0 ? (
            <p className="text-faint">
              None. The command line on another machine signs in with “hombi sign-in”.
            </p>
          ) : (
            <ul className="rule border-b">
              {found.map((token) => (
                <li
                  key={token.id}
                  className="rule flex flex-wrap items-center gap-x-4 border-t py-2"
                >
                  <span className="min-w-0 grow basis-40 break-words">
                    {token.name}{" "}
                    <span className="text-faint text-sm">
                      {visible(token.username)}, <Ago at={token.made_at} />
                      {token.limit !== "change" && `, may ${token.limit} only`}
                      {token.ends_at !== null && `, until ${exact(token.ends_at)}`}
                    </span>
                  </span>
                  <Asked
                    title={`Sign ${token.name} out?`}
                    label={`Make the token of ${token.name} void`}
                    yes="Make void"
                    busy={revoke.isPending}
                    error={revoke.error}
                    onYes={(done) => revoke.mutate(token.id, { onSuccess: done })}
                  >
                    <p>Its token stops working at once. The program must sign in again.</p>
                  </Asked>
                </li>
              ))}
            </ul>
          )
        }
      </Await>
    </section>
  );
}
