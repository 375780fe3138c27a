// An invitation that was made: to scan, or to send.
import type { ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { Secret } from "../../ui/Secret";
import { exact } from "../../ui/time";

export type Made = Schemas["Invitation"];

export function Invitation({ made, children }: { made: Made; children: ReactNode }) {
  return (
    <div role="status" className="mt-4 flex flex-wrap gap-5">
      <img
        alt="QR code of the link"
        width="148"
        height="148"
        src={`data:image/svg+xml;utf8,${encodeURIComponent(made.svg)}`}
      />
      <div className="min-w-0 grow basis-60">
        <p className="mb-2">
          {children} It is good until {exact(made.ends_at)}, once.
        </p>
        <Secret label="The link" value={made.address} />
      </div>
    </div>
  );
}
