// What is new in this version, and in those before.
import { useLocation } from "react-router";
import { useReleases } from "../../api/queries";
import { Await } from "../../ui/parts";

export function News() {
  const releases = useReleases();
  // Who came by the note about an update wants to read it.
  const asked = useLocation().hash === "#news";
  return (
    <section aria-labelledby="news">
      <h2 id="news" className="mb-3 text-xl">
        What is new
      </h2>
      <Await of={releases} lines={4}>
        {(found) => (
          <div className="space-y-2">
            {found.map((release, place) => (
              <details key={release.name} open={place === 0 && asked}>
                <summary className="cursor-pointer py-1">{release.name}</summary>
                <ul className="list-disc space-y-1 pb-3 pl-5 text-sm">
                  {release.lines.map((line) => (
                    <li key={line}>{line}</li>
                  ))}
                </ul>
              </details>
            ))}
          </div>
        )}
      </Await>
    </section>
  );
}
