// What could not be read is said: a list that is missing must not pass for an empty one.
import { type Query, useQueryClient } from "@tanstack/react-query";
import { useCallback, useSyncExternalStore } from "react";
import { HubError } from "../api/client";
import { isSaid } from "./said";

/** The hub's fault, or the way's to it; what was asked wrongly is answered in its place. */
function unread(query: Query): boolean {
  const { status, error } = query.state;
  if (status !== "error" || !error || isSaid(error)) return false;
  if (!(error instanceof HubError)) return true;
  return error.status === 0 || error.status === 429 || error.status >= 500;
}

/** So long a page has to say it in its place. */
const IN_PLACE_MS = 150;

export function Unread() {
  const cache = useQueryClient();
  const subscribe = useCallback(
    (told: () => void) => cache.getQueryCache().subscribe(() => setTimeout(told, IN_PLACE_MS)),
    [cache],
  );
  const found = { type: "active", predicate: unread } as const;
  const some = useSyncExternalStore(
    subscribe,
    () => cache.getQueryCache().findAll(found).length > 0,
  );
  if (!some) return null;
  return (
    <p role="status" className="mb-4 border-madder border-l-4 py-1 pl-4 text-madder">
      The hub could not read all of this page; what is missing here may well exist.{" "}
      <button
        type="button"
        className="text-act underline"
        onClick={() => void cache.refetchQueries(found)}
      >
        Read it again
      </button>
    </p>
  );
}
