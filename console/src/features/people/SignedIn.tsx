// What is signed in: browsers, and programs with a token; and signing one out.
import { type UseMutationResult, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import * as changes from "../../api/changes";
import { keys, useBrowsers, useTokens } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Asked } from "../../ui/Asked";
import { Ago, Await } from "../../ui/parts";
import { exact } from "../../ui/time";
import { visible } from "../../ui/visible";

export function Browsers() {
  const cache = useQueryClient();
  const browsers = useBrowsers();
  const end = useChange({
    mutationFn: (browser: string) => changes.endBrowser(browser),
    onSuccess: () => cache.invalidateQueries({ queryKey: keys.browsers }),
  });
  return (
    <Section id="browsers" title="Browsers that are signed in">
      <Await of={browsers} lines={2}>
        {(found) => (
          <ul className="rule border-b">
            {found.map((one) => (
              <Line
                key={one.id}
                name={one.name}
                about={
                  <>
                    {visible(one.username)}
                    {one.since !== null && (
                      <>
                        , <Ago at={one.since} />
                      </>
                    )}
                  </>
                }
              >
                {one.this_one ? (
                  <span className="text-faint">this one</span>
                ) : (
                  <SignOut
                    name={`${one.name} of ${visible(one.username)}`}
                    yes="Sign out"
                    change={end}
                    given={one.id}
                  >
                    What it shows ends at once. Whoever uses it must sign in again.
                  </SignOut>
                )}
              </Line>
            ))}
          </ul>
        )}
      </Await>
    </Section>
  );
}

export function Programs() {
  const cache = useQueryClient();
  const tokens = useTokens();
  const revoke = useChange({
    mutationFn: (token: number) => changes.revokeToken(token),
    onSuccess: () => cache.invalidateQueries({ queryKey: keys.tokens }),
  });
  return (
    <Section id="programs" title="Programs that are signed in">
      <Await of={tokens} lines={2}>
        {(found) =>
          found.length === 0 ? (
            <p className="text-faint">
              None. The command line on another machine signs in with “hombi sign-in”.
            </p>
          ) : (
            <ul className="rule border-b">
              {found.map((token) => (
                <Line
                  key={token.id}
                  name={token.name}
                  about={
                    <>
                      {visible(token.username)}, <Ago at={token.made_at} />
                      {token.limit !== "change" && `, may ${token.limit} only`}
                      {token.ends_at !== null && `, until ${exact(token.ends_at)}`}
                    </>
                  }
                >
                  <SignOut name={token.name} yes="Revoke" change={revoke} given={token.id}>
                    Its token stops working at once. The program must sign in again.
                  </SignOut>
                </Line>
              ))}
            </ul>
          )
        }
      </Await>
    </Section>
  );
}

function Section({ id, title, children }: { id: string; title: string; children: ReactNode }) {
  return (
    <section aria-labelledby={id}>
      <h2 id={id} className="mb-3 text-xl">
        {title}
      </h2>
      {children}
    </section>
  );
}

function Line({ name, about, children }: { name: string; about: ReactNode; children: ReactNode }) {
  return (
    <li className="rule flex flex-wrap items-center gap-x-4 border-t py-2">
      <span className="min-w-0 grow basis-40 break-words">
        {visible(name)} <span className="text-faint text-sm">{about}</span>
      </span>
      {children}
    </li>
  );
}

function SignOut<Given>({
  name,
  yes,
  change,
  given,
  children,
}: {
  name: string;
  yes: string;
  change: UseMutationResult<unknown, Error, Given>;
  given: Given;
  children: ReactNode;
}) {
  return (
    <Asked
      title={`Sign ${name} out?`}
      label={`Sign ${name} out`}
      yes={yes}
      busy={change.isPending}
      error={change.error}
      onYes={(done) => change.mutate(given, { onSuccess: done })}
    >
      <p>{children}</p>
    </Asked>
  );
}
