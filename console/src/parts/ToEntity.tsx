// A value's name, which leads to its page; for who has no such pages, the name alone.
import { useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Schemas } from "../api/client";
import { keys } from "../api/queries";

export function ToEntity({
  entity,
  className = "text-act hover:underline",
  children,
}: {
  entity: string;
  className?: string;
  children: ReactNode;
}) {
  const role = useQueryClient().getQueryData<Schemas["Person"] | null>(keys.session)?.role;
  if (role === "guest" || role === "wall") return <span>{children}</span>;
  return (
    <Link className={className} to={`/readings/${entity}`}>
      {children}
    </Link>
  );
}
