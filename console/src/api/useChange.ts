// Making a change from a page. A second press while the first is under way does nothing.
import {
  type UseMutationOptions,
  type UseMutationResult,
  useMutation,
} from "@tanstack/react-query";
import { useRef } from "react";

export function useChange<Answer, Given = void>(
  options: UseMutationOptions<Answer, Error, Given>,
): UseMutationResult<Answer, Error, Given> {
  const busy = useRef(false);
  const change = useMutation<Answer, Error, Given>({
    ...options,
    onSettled: (...what) => {
      busy.current = false;
      return options.onSettled?.(...what);
    },
  });
  const mutate: typeof change.mutate = (...given) => {
    if (busy.current) return;
    busy.current = true;
    change.mutate(...given);
  };
  return { ...change, mutate } as typeof change;
}
