// A value's name, which leads to its page; for who has no such pages, the name alone.
import type { ReactNode } from "react";
import { Link } from "react-router";
import { useVisitor } from "../api/role";

export function ToEntity({
  entity,
  className = "text-act hover:underline",
  children,
}: {
  entity: string;
  className?: string;
  children: ReactNode;
}) {
  if (useVisitor()) return <span>{children}</span>;
  return (
    <Link className={className} to={`/readings/${entity}`}>
      {children}
    </Link>
  );
}
