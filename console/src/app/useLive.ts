// Following the hub: what is shown stays fresh, and since when it is not.
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { age } from "../api/client";
import { followLive, type LiveState } from "../api/live";
import { hubNow } from "../ui/time";

/** Whether the hub is heard, and since when it is not; 0 while it is. */
export function useLive(): { live: LiveState; lostAt: number } {
  const cache = useQueryClient();
  const [live, setLive] = useState<LiveState>("connecting");
  const [lostAt, setLostAt] = useState(0);
  useEffect(
    () =>
      followLive(cache, (state) => {
        setLive(state);
        if (state === "lost") setLostAt((before) => before || age.since || hubNow());
        else {
          // What the device had kept is fetched again as soon as the hub is there.
          if (age.since) void cache.invalidateQueries();
          age.since = 0;
          setLostAt(0);
        }
      }),
    [cache],
  );
  return { live, lostAt };
}
