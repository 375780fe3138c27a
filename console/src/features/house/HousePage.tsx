// The house in section, what needs you beside it, and the day beneath.
import { lazy, Suspense } from "react";
import { Link, useSearchParams } from "react-router";
import type { Automation, House } from "../../api/client";
import { useAutomations, useEntities, useHouse } from "../../api/queries";
import { Await, Mark, Page, Shape } from "../../ui/parts";
import { visible } from "../../ui/visible";
import { Day } from "./Day";
import { Section } from "./Section";
import { WhoIsHome } from "./WhoIsHome";

const OwnDashboards = lazy(() =>
  import("../dashboards/OwnDashboards").then((m) => ({ default: m.OwnDashboards })),
);
// Needed once, when the house is new.
const FirstSteps = lazy(() => import("./FirstSteps").then((m) => ({ default: m.FirstSteps })));

export function HousePage() {
  const house = useHouse();
  const entities = useEntities();
  const automations = useAutomations();
  // They go on while the house is being built, until the person is through with them.
  const [query] = useSearchParams();
  const first = query.has("step") || house.data?.floors.length === 0;
  return (
    <Page title={house.data?.name ?? "The house"}>
      {house.data?.updated_from && (
        <p className="mb-6 text-faint">
          Hombi was updated from {house.data.updated_from} to {house.data.version}.{" "}
          <Link className="text-act underline" to="/settings#news">
            What is new
          </Link>
        </p>
      )}
      <div className="grid gap-8 lg:grid-cols-[minmax(0,3fr)_minmax(15rem,1fr)]">
        <Await of={house} lines={8}>
          {(found) =>
            first ? (
              <Suspense fallback={<Shape lines={6} />}>
                <FirstSteps />
              </Suspense>
            ) : (
              <Section floors={found.floors} entities={entities.data} />
            )
          }
        </Await>
        <div>
          <Needs house={house.data} automations={automations.data ?? []} />
          {house.data && !first && <WhoIsHome />}
        </div>
      </div>
      {house.data && !first && house.data.nodes === 0 && (
        <p className="mt-6">
          No node is in the house yet.{" "}
          <Link className="text-act underline" to="/first-steps">
            Go on with the first steps
          </Link>
          .
        </p>
      )}
      {house.data && !first && house.data.nodes > 0 && (
        <>
          <Day zone={house.data.time_zone} automations={automations.data ?? []} />
          <Suspense>
            <OwnDashboards />
          </Suspense>
        </>
      )}
    </Page>
  );
}

function Needs({ house, automations }: { house: House | undefined; automations: Automation[] }) {
  const on = automations.filter((automation) => automation.phase === "on");
  if (!house) return <div />;
  return (
    <section aria-labelledby="needs">
      <h2 id="needs" className="mb-3 text-xl">
        What needs you
      </h2>
      {house.needs.length === 0 ? (
        <p className="text-faint">Nothing. All is well.</p>
      ) : (
        <ul className="space-y-2">
          {house.needs.map((need) => (
            <li key={need.text}>
              <Link to={need.path} className="hover:underline">
                <Mark
                  grave={["clock", "disk", "silent", "link", "left", "secret"].includes(need.kind)}
                >
                  {visible(need.text)}
                </Mark>
              </Link>
            </li>
          ))}
        </ul>
      )}
      {on.length > 0 && (
        <>
          <h3 className="mt-6 mb-2 text-lg">On now</h3>
          <ul className="space-y-1">
            {on.map((automation) => (
              <li key={automation.automation}>
                <Link
                  className="text-act hover:underline"
                  to={`/automations/${automation.automation}`}
                >
                  {automation.name}
                </Link>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
