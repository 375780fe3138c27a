// Errors that a page says in their own place; they are not said twice.
import { useEffect } from "react";

const said = new WeakSet<Error>();

export const isSaid = (error: Error) => said.has(error);

/** This error is said here. */
export function useSaid(error: Error) {
  useEffect(() => {
    said.add(error);
  }, [error]);
}
