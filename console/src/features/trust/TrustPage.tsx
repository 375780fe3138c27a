// Trusting the house: what a device needs once, before it takes the hub over HTTPS. Open to
// everybody: nothing on it is a secret.
import { useQuery } from "@tanstack/react-query";
import { Check, ShieldAlert } from "lucide-react";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";
import { api, ask, type Schemas } from "../../api/client";
import { Await, Button, Mark } from "../../ui/parts";
import { visible } from "../../ui/visible";
import { SettingsDrawing } from "./SettingsDrawing";
import { SYSTEMS, systemOf } from "./systems";
import { secureHere, trusted } from "./trusted";

type Trust = Schemas["Trust"];

export function TrustPage() {
  const found = useQuery({ queryKey: ["trust"], queryFn: () => ask(api.GET("/api/trust")) });
  return (
    <main className="mx-auto max-w-3xl px-4 py-8">
      <Await of={found} lines={6}>
        {(trust) => <Whole trust={trust} />}
      </Await>
    </main>
  );
}

function Whole({ trust }: { trust: Trust }) {
  const secure = secureHere(trust.secure);
  const check = useQuery({
    queryKey: ["trusted", secure],
    queryFn: () => trusted(secure),
    refetchOnWindowFocus: true,
    staleTime: 0,
  });
  const yes = check.data === "yes";
  return (
    <>
      <h1 className="mb-2 text-3xl">Trust {visible(trust.house)}</h1>
      <p className="mb-6 text-faint">
        Your browser then knows this hub for certain, and nobody in the network can read along or
        pretend to be it. A phone needs this before it takes notices. It is done once for each
        device.
      </p>
      <Result trust={trust} state={check.data} busy={check.isFetching} again={check.refetch} />
      {yes ? <GoOn secure={secure} /> : trust.certificate && <Steps trust={trust} />}
      {trust.certificate && <Details trust={trust} />}
    </>
  );
}

function Result({
  trust,
  state,
  busy,
  again,
}: {
  trust: Trust;
  state?: string;
  busy: boolean;
  again: () => unknown;
}) {
  let said: ReactNode = <span className="text-faint">Looking whether this device does …</span>;
  if (trust.problem) said = <Mark grave>HTTPS is not open: {visible(trust.problem)}</Mark>;
  else if (!trust.secure)
    said = <Mark>This hub does not speak HTTPS now. Its doctor says why, under Settings.</Mark>;
  else if (state === "yes")
    said = (
      <span className="inline-flex items-center gap-2 font-semibold">
        <Check aria-hidden className="size-5 text-act" /> This device trusts the house.
      </span>
    );
  else if (state === "no")
    said = (
      <span className="inline-flex items-center gap-2">
        <ShieldAlert aria-hidden className="size-5 text-amber" />{" "}
        {trust.own
          ? "This device does not take the certificate in hombi.toml. See who issued it."
          : "This device does not trust the house yet."}
      </span>
    );
  return (
    <div role="status" className="rule mb-6 flex flex-wrap items-center gap-4 border-y py-3">
      <span className="grow text-lg">{said}</span>
      {trust.secure && (
        <Button onClick={() => void again()} disabled={busy}>
          Check again
        </Button>
      )}
    </div>
  );
}

function GoOn({ secure }: { secure: string }) {
  const here = window.location.protocol === "https:";
  const apple = systemOf(navigator.userAgent, navigator.maxTouchPoints) === "iphone";
  return (
    <p className="mb-8 text-lg">
      {apple &&
        "An iPhone takes notices only for a page on its home screen: on the next page press Share, then “Add to Home Screen”, and open it from there. "}
      {here ? (
        <Link className="text-act underline" to="/notices">
          Take notices on this device
        </Link>
      ) : (
        <a className="text-act underline" href={`${secure}/notices`}>
          Go on over HTTPS, and take notices on this device
        </a>
      )}
    </p>
  );
}

function Steps({ trust }: { trust: Trust }) {
  const [chosen, choose] = useState(() => systemOf(navigator.userAgent, navigator.maxTouchPoints));
  const system = SYSTEMS.find((one) => one.id === chosen);
  return (
    <div className="grid gap-8 md:grid-cols-[1fr_auto]">
      <section aria-label="Steps">
        <fieldset className="mb-4 flex flex-wrap gap-x-5 gap-y-1">
          <legend className="sr-only">This device</legend>
          {SYSTEMS.map((one) => (
            <label key={one.id} className="inline-flex min-h-9 items-center gap-2">
              <input
                type="radio"
                name="system"
                checked={one.id === chosen}
                onChange={() => choose(one.id)}
              />
              {one.name}
            </label>
          ))}
        </fieldset>
        <ol className="space-y-5">
          {system?.steps.map((step, place) => (
            <li key={step.text} className="flex gap-3">
              <span className="font-serif text-2xl text-faint leading-none">{place + 1}</span>
              <div className="min-w-0">
                {place === 0 && (
                  <a
                    className="mb-2 inline-block min-h-9 rounded-sm border border-act bg-act px-3 py-1 font-medium text-on-act"
                    href={`/api/trust/house.${system.file}`}
                    download
                  >
                    Get the certificate
                  </a>
                )}
                <p>{step.text}</p>
                {step.drawn && <SettingsDrawing rows={step.drawn} />}
              </div>
            </li>
          ))}
        </ol>
        <p className="mt-5">Then press “Check again” above.</p>
      </section>
      <aside className="max-md:hidden">
        <img
          alt="QR code of this page’s address"
          width="164"
          src={`data:image/svg+xml;utf8,${encodeURIComponent(trust.code)}`}
        />
        <p className="mt-1 w-[164px] text-faint text-sm">
          For a phone: point its camera here. It opens {trust.page}
        </p>
      </aside>
    </div>
  );
}

const inFull = (at: number) =>
  new Date(at).toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric" });

function Details({ trust }: { trust: Trust }) {
  return (
    <details className="mt-8">
      <summary className="min-h-9 cursor-pointer text-act">
        Compare the certificate before you trust it
      </summary>
      <p className="mt-2">
        Devices list it as “{visible(trust.name)}”
        {trust.until !== null && `, good until ${inFull(trust.until)}`}. It can speak for this
        house’s own names and addresses only. Its fingerprint (SHA-256) must be the one that “hombi
        trust” shows on the hub’s machine:
      </p>
      <p className="mt-2 break-all font-mono text-sm">{trust.fingerprint}</p>
      <p className="mt-2 flex gap-4">
        {["pem", "crt", "mobileconfig"].map((form) => (
          <a key={form} className="text-act underline" href={`/api/trust/house.${form}`} download>
            {form}
          </a>
        ))}
      </p>
    </details>
  );
}
