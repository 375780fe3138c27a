// The small parts that every page is made of. They know no feature.
import { CircleAlert, TriangleAlert } from "lucide-react";
import type { ButtonHTMLAttributes, ReactNode } from "react";
import { type Entity, HubError } from "../api/client";
import { shown } from "../api/readings";
import { useSaid } from "./said";
import { exact, sinceWhen, span, useAgo, useNow } from "./time";

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & { look?: "main" | "plain" | "grave" };

export function Button({ look = "plain", className = "", ...rest }: ButtonProps) {
  const looks = {
    main: "bg-act text-on-act border-act",
    plain: "text-act border-act",
    grave: "text-madder border-madder",
  };
  return (
    <button
      type="button"
      className={`min-h-9 rounded-sm border px-3 py-1 font-medium pointer-coarse:min-h-11 aria-pressed:bg-act aria-pressed:text-on-act disabled:opacity-50 ${looks[look]} ${className}`}
      {...rest}
    />
  );
}

export function Page({
  title,
  aside,
  children,
}: {
  title: ReactNode;
  aside?: ReactNode;
  children: ReactNode;
}) {
  return (
    <>
      <header className="mb-6 flex flex-wrap items-baseline justify-between gap-x-6 gap-y-2">
        <h1 className="text-[min(1.875rem,11vw)] leading-tight">{title}</h1>
        {aside}
      </header>
      {children}
    </>
  );
}

/** What is there while the answer is on its way: the shape of what comes. */
export function Shape({ lines = 4 }: { lines?: number }) {
  return (
    <div role="status" aria-label="Loading" className="space-y-3">
      {Array.from({ length: lines }, (_, place) => (
        <div
          // biome-ignore lint/suspicious/noArrayIndexKey: the lines are all alike
          key={place}
          className="h-8 rounded-sm bg-rule/50"
          style={{ width: `${96 - ((place * 17) % 40)}%` }}
        />
      ))}
    </div>
  );
}

export function Empty({ children }: { children: ReactNode }) {
  return <p className="rule border-y py-8 text-center font-serif text-lg text-faint">{children}</p>;
}

export function Failure({ error, retry }: { error: Error; retry?: () => void }) {
  useSaid(error);
  return (
    <div
      role="alert"
      className="flex flex-wrap items-center gap-3 border-l-4 border-madder py-2 pl-4"
    >
      <CircleAlert aria-hidden className="size-5 text-madder" />
      <span className="grow">{error.message}</span>
      {retry && <Button onClick={retry}>Try again</Button>}
    </div>
  );
}

interface Answer<T> {
  data: T | undefined;
  error: Error | null;
  refetch?: () => unknown;
}

/**
 * One of three: the shape of what comes, what went wrong, or what there is. What is
 * known stays on screen.
 */
export function Await<T>({
  of,
  lines,
  children,
}: {
  of: Answer<T>;
  lines?: number;
  children: (data: T) => ReactNode;
}) {
  if (of.data !== undefined) return children(of.data);
  if (of.error) {
    const retry =
      of.error instanceof HubError && of.error.status === 404
        ? undefined
        : () => void of.refetch?.();
    return <Failure error={of.error} retry={retry} />;
  }
  return <Shape lines={lines} />;
}

export function Ago({ at }: { at: number | null | undefined }) {
  return <time title={exact(at)}>{useAgo(at)}</time>;
}

/** Since when a state is what it is, or how long ago a value was heard. */
export function Since({ entity }: { entity: Entity }) {
  if (!entity.since) return <Ago at={entity.heard_at} />;
  return <time title={exact(entity.since)}>since {sinceWhen(entity.since)}</time>;
}

/** What an entity is asked to be, for as long as its node has not confirmed it. */
export function Wanted({ entity }: { entity: Entity }) {
  const now = useNow();
  if (!entity.wanted) return null;
  const { value, since, due } = entity.wanted;
  if (due && now < due) {
    const left = span(Math.ceil((due - now) / 1000));
    return (
      <span className="text-faint">
        on its way to {shown(value, entity)}, for another {left}
      </span>
    );
  }
  const waited = span(Math.max(0, Math.floor((now - since) / 1000)));
  return (
    <Mark grave>
      wanted {shown(value, entity)} for {waited}, not confirmed
    </Mark>
  );
}

/** A mark for what wants attention: always a sign and a word. */
export function Mark({ grave = false, children }: { grave?: boolean; children: ReactNode }) {
  const Sign = grave ? CircleAlert : TriangleAlert;
  return (
    <span className={`inline-flex items-center gap-1 ${grave ? "text-madder" : "text-amber"}`}>
      <Sign aria-hidden className="size-4 shrink-0" />
      {children}
    </span>
  );
}

/**
 * A table's caption, for those who hear it, and its heading; columns named in `right` are
 * set to the right, those in `wide` stay away on a phone, those in `tiny` where
 * little large text fits.
 */
export function Heads({
  of,
  names,
  right = [],
  wide = [],
  tiny = [],
}: {
  of: string;
  names: string[];
  right?: string[];
  wide?: string[];
  tiny?: string[];
}) {
  return (
    <>
      <caption className="sr-only">{of}</caption>
      <thead className="text-faint">
        <tr>
          {names.map((name) => (
            <th
              key={name}
              scope="col"
              className={`pr-4 pb-1 font-normal last:pr-0 ${right.includes(name) ? "text-right" : ""} ${wide.includes(name) ? "max-sm:hidden" : ""} ${tiny.includes(name) ? "max-[20rem]:hidden" : ""}`}
            >
              {name}
            </th>
          ))}
        </tr>
      </thead>
    </>
  );
}

export function Labelled({
  label,
  hint,
  children,
}: {
  label: string;
  hint?: string;
  children: ReactNode;
}) {
  return (
    // biome-ignore lint/a11y/noLabelWithoutControl: the control is among the children
    <label className="block">
      <span className="mb-1 block font-medium">{label}</span>
      {children}
      {hint && <span className="mt-1 block text-faint text-sm">{hint}</span>}
    </label>
  );
}
