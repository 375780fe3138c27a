// What happens once somebody is in: nothing of before is kept, and they go where they
// wanted.
import { useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { keys } from "../../api/queries";

export function useEnter(path: string) {
  const cache = useQueryClient();
  const navigate = useNavigate();
  return (person: { username: string }) => {
    cache.clear();
    cache.setQueryData(keys.session, person);
    void navigate(path, { replace: true });
  };
}
