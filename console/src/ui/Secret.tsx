// A text to copy.
import { useState } from "react";
import { Button } from "./parts";

export function Secret({ label, value }: { label: string; value: string }) {
  const [copied, setCopied] = useState(false);
  return (
    <div>
      <div className="mb-1 font-medium">{label}</div>
      <div className="flex items-start gap-3">
        <code className="grow break-all rounded-sm bg-sheet px-2 py-1 text-sm">{value}</code>
        <Button
          aria-label={`Copy: ${label}`}
          onClick={() => {
            void navigator.clipboard?.writeText(value).then(() => setCopied(true));
          }}
        >
          {copied ? "Copied" : "Copy"}
        </Button>
      </div>
    </div>
  );
}
