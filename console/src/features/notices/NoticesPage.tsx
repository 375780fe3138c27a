// Notices: how people are reached, and what they were told.
import { useState } from "react";
import { Link } from "react-router";
import { useNotices } from "../../api/queries";
import { Ago, Await, Empty, Mark, Page } from "../../ui/parts";
import { visible } from "../../ui/visible";
import { AddContact } from "./AddContact";
import { Contacts } from "./Contacts";
import { TakeHere } from "./TakeHere";

export function NoticesPage() {
  return (
    <Page title="Notices">
      <div className="grid gap-x-12 gap-y-10 lg:grid-cols-[3fr_2fr]">
        <div className="min-w-0 space-y-10">
          <section aria-labelledby="reached">
            <h2 id="reached" className="mb-3 text-xl">
              How people are reached
            </h2>
            <Contacts />
          </section>
          <section aria-labelledby="told">
            <h2 id="told" className="mb-3 text-xl">
              Sent notices
            </h2>
            <Told />
          </section>
        </div>
        <div className="space-y-10">
          <section aria-labelledby="here">
            <h2 id="here" className="mb-3 text-xl">
              This device
            </h2>
            <TakeHere />
          </section>
          <section aria-labelledby="more">
            <h2 id="more" className="mb-3 text-xl">
              Another contact
            </h2>
            <AddContact />
          </section>
        </div>
      </div>
    </Page>
  );
}

function Told() {
  const notices = useNotices();
  return (
    <Await of={notices} lines={4}>
      {(found) =>
        found.length === 0 ? (
          <Empty>Nobody was told anything yet.</Empty>
        ) : (
          <ul className="rule border-b">
            {found.map((notice) => (
              <li
                key={notice.id}
                className="rule grid gap-x-6 border-t py-2 md:grid-cols-[6rem_1fr_13rem]"
              >
                <span className="text-faint">
                  <Ago at={notice.at} />
                </span>
                <span className="min-w-0 break-words">
                  <Link className="font-semibold text-act" to={notice.path}>
                    {visible(notice.title)}
                  </Link>
                  {notice.urgent && <span className="text-faint text-sm"> urgent</span>}
                  {notice.quiet && <span className="text-faint text-sm"> without a sound</span>}
                  <span className="block whitespace-pre-line">{visible(notice.text)}</span>
                  {notice.picture && <Picture of={notice.picture} title={notice.title} />}
                </span>
                <span>
                  {visible(notice.person)}, {visible(notice.phone)}
                  <span className="block text-faint text-sm">
                    <State notice={notice} />
                  </span>
                </span>
              </li>
            ))}
          </ul>
        )
      }
    </Await>
  );
}

/** What the camera showed; nothing where it did not, or is no longer kept. */
function Picture({ of, title }: { of: string; title: string }) {
  const [gone, setGone] = useState(false);
  if (gone) return null;
  return (
    <a href={of} className="mt-1 inline-block">
      <img
        src={of}
        loading="lazy"
        alt={`What the camera showed for “${visible(title)}”`}
        className="max-h-32 rounded-sm"
        onError={() => setGone(true)}
      />
    </a>
  );
}

function State({ notice }: { notice: { state: string; problem: string; attempts: number } }) {
  if (notice.state === "failed")
    return <Mark grave>did not arrive: {visible(notice.problem)}</Mark>;
  if (notice.state === "waiting")
    return notice.problem ? (
      <Mark>
        waits, tried {notice.attempts === 1 ? "once" : `${notice.attempts} times`}:{" "}
        {visible(notice.problem)}
      </Mark>
    ) : (
      <>waits</>
    );
  if (notice.state === "too late") return <>{visible(notice.problem)}</>;
  if (notice.state === "replaced") return <>a newer one took its place</>;
  if (notice.state === "told together") return <>told together with others</>;
  return <>delivered</>;
}
