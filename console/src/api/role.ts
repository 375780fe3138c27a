// What the person who has signed in is in the house.
import { useQueryClient } from "@tanstack/react-query";
import type { Schemas } from "./client";
import { keys } from "./queries";

/** Whether they see one page only: a guest, or a wall. */
export function useVisitor(): boolean {
  const session = useQueryClient().getQueryData<Schemas["SignedIn"] | null>(keys.session);
  return session?.role === "guest" || session?.role === "wall";
}
