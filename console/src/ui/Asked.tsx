// A button for what cannot be undone: it asks first, and says what is lost.
import { type ReactNode, useState } from "react";
import { Button, Failure } from "./parts";
import { Sheet } from "./Sheet";

export function Asked({
  title,
  children,
  yes,
  label,
  busy = false,
  error,
  onYes,
  button,
}: {
  title: string;
  children: ReactNode;
  yes: string;
  label: string;
  busy?: boolean;
  error?: Error | null;
  onYes: (done: () => void) => void;
  button?: ReactNode;
}) {
  const [asking, setAsking] = useState(false);
  const close = () => setAsking(false);
  return (
    <>
      {button ? (
        <button
          type="button"
          aria-label={label}
          className="min-h-8 px-1 text-madder"
          onClick={() => setAsking(true)}
        >
          {button}
        </button>
      ) : (
        <Button look="grave" aria-label={label} onClick={() => setAsking(true)}>
          {yes} …
        </Button>
      )}
      <Sheet open={asking} close={close} title={title}>
        <div className="mb-4">{children}</div>
        {error && <Failure error={error} />}
        <div className="flex justify-end gap-3">
          <Button onClick={close}>Keep it</Button>
          <Button look="grave" disabled={busy} onClick={() => onYes(close)}>
            {yes}
          </Button>
        </div>
      </Sheet>
    </>
  );
}
