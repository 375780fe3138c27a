// The page before one is in.
import type { FormEvent, ReactNode } from "react";
import { Button, Failure } from "../../ui/parts";

export function Door({
  title,
  about,
  action,
  busy,
  error,
  onSubmit,
  children,
}: {
  title: string;
  about: ReactNode;
  action: string;
  busy: boolean;
  error: Error | null;
  onSubmit: (values: FormData) => void;
  children: ReactNode;
}) {
  function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    onSubmit(new FormData(event.currentTarget));
  }
  return (
    <main className="mx-auto max-w-sm px-4 pt-[12vh]">
      <img src="/icon.svg" alt="" className="mb-4 size-14 rounded-sm" />
      <h1 className="mb-2 text-3xl">{title}</h1>
      <p className="mb-6 text-faint">{about}</p>
      <form onSubmit={submit} className="space-y-4">
        {children}
        {error && <Failure error={error} />}
        <Button type="submit" look="main" disabled={busy} className="w-full py-2">
          {action}
        </Button>
      </form>
    </main>
  );
}
