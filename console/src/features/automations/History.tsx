// What an automation did, and why.
import { useQuery } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import { keys, useHouse } from "../../api/queries";
import { Await } from "../../ui/parts";
import { exact } from "../../ui/time";
import { visible } from "../../ui/visible";

export function History({ automation }: { automation: string }) {
  const house = useHouse();
  const entries = useQuery({
    queryKey: [...keys.journal, "automation", automation],
    queryFn: () => ask(api.GET("/api/journal", { params: { query: { automation, limit: 20 } } })),
  });
  return (
    <Await of={entries}>
      {(page) =>
        page.entries.length === 0 ? (
          <p className="text-faint">Nothing yet.</p>
        ) : (
          <ol>
            {page.entries.map((entry) => (
              <li key={entry.id} className="rule border-t py-2">
                <div className="text-faint text-sm">{exact(entry.at, house.data?.time_zone)}</div>
                {visible(entry.text)}
                {typeof entry.data.took_ms === "number" && entry.data.took_ms > 0 && (
                  <span className="text-faint">
                    {" "}
                    after {(entry.data.took_ms / 1000).toFixed(2)} s
                  </span>
                )}
              </li>
            ))}
          </ol>
        )
      }
    </Await>
  );
}
