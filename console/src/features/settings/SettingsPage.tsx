// Settings: MQTT accounts and programs, the house's rooms, this hub, and signing out.
import { useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import * as changes from "../../api/changes";
import { keys, useHouse } from "../../api/queries";
import { useChange } from "../../api/useChange";
import { Await, Button, Failure, Page } from "../../ui/parts";
import { exact } from "../../ui/time";
import { useAnchor } from "../../ui/useAnchor";
import { Doctor } from "./Doctor";
import { MqttAccounts } from "./MqttAccounts";
import { News } from "./News";
import { Place } from "./Place";
import { Rooms } from "./Rooms";
import { Units } from "./Units";

export function SettingsPage() {
  const house = useHouse();
  useAnchor(house.data !== undefined);
  return (
    <Page title="Settings">
      <div className="grid gap-12 lg:grid-cols-2">
        <div className="space-y-12">
          <MqttAccounts />
          <News />
        </div>
        <div className="space-y-12">
          <Rooms />
          <Units />
          <Place />
          <ThisHub />
          <Doctor />
        </div>
      </div>
    </Page>
  );
}

function ThisHub() {
  const cache = useQueryClient();
  const house = useHouse();
  const signOut = useChange({
    mutationFn: () => changes.signOut(),
    onSuccess: () => {
      cache.clear();
      cache.setQueryData(keys.session, null);
      window.location.assign("/sign-in");
    },
  });
  return (
    <section aria-labelledby="hub">
      <h2 id="hub" className="mb-3 text-xl">
        This hub
      </h2>
      <Await of={house} lines={3}>
        {(found) => (
          <ul className="mb-4 space-y-1">
            <li>
              Hombi {found.version}, up since {exact(found.started_at)}
            </li>
            <li>House time is {found.time_zone}.</li>
            {found.links.map((link) => (
              <li key={link.link}>{link.listening}</li>
            ))}
            <li>
              {found.readings_committed.toLocaleString("en")} readings were stored since the start.
            </li>
            <li>
              <Link className="text-act underline" to="/trust">
                Have a device trust the house
              </Link>
            </li>
            <li>
              <Link className="text-act underline" to="/first-steps">
                Repeat the first steps
              </Link>
            </li>
            <li>
              <a className="text-act underline" href="/api/docs">
                API documentation
              </a>
            </li>
          </ul>
        )}
      </Await>
      {signOut.error && <Failure error={signOut.error} />}
      <Button onClick={() => signOut.mutate()}>Sign out</Button>
    </section>
  );
}
