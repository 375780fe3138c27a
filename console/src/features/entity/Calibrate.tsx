// A sensor beside a reference: both curves, the correction that follows, and what is to be
// said of it.
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import * as changes from "../../api/changes";
import type { EntityDetail, History, Schemas } from "../../api/client";
import { useEntities } from "../../api/queries";
import { shown } from "../../api/readings";
import { useChange } from "../../api/useChange";
import { Chart } from "../../parts/Chart";
import type { Window } from "../../parts/window";
import { Await, Button, Failure, Labelled, Mark } from "../../ui/parts";
import { Sheet } from "../../ui/Sheet";
import { visible } from "../../ui/visible";
import { CalibrateSet } from "./CalibrateSet";
import { signed, typedValues } from "./typed";

type Comparison = Schemas["Comparison"];
type Fit = Schemas["Fit"];
const HOUR_MS = 3_600_000;
const BY_HAND = "by hand";

export function Calibrate({
  entity,
  window,
  onWindow,
  done,
}: {
  entity: EntityDetail;
  window: Window;
  onWindow: (to: Window) => void;
  done: (made: Schemas["Conditioning"]) => void;
}) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button onClick={() => setOpen(true)}>Compare with a reference</Button>
      <Sheet
        open={open}
        close={() => setOpen(false)}
        title={`${entity.spoken} beside a reference`}
        wide
      >
        <Beside
          entity={entity}
          window={window}
          onWindow={onWindow}
          close={() => setOpen(false)}
          done={(made) => {
            setOpen(false);
            done(made);
          }}
        />
      </Sheet>
    </>
  );
}

function Beside({
  entity,
  window,
  onWindow,
  close,
  done,
}: {
  entity: EntityDetail;
  window: Window;
  onWindow: (to: Window) => void;
  close: () => void;
  done: (made: Schemas["Conditioning"]) => void;
}) {
  const [reference, setReference] = useState("");
  const [past, setPast] = useState(true);
  const [text, setText] = useState("");
  const entities = useEntities();
  const alike = (entities.data ?? [])
    .filter((one) => one.kind === entity.kind && one.entity !== entity.entity)
    .sort(
      (a, b) =>
        Number(b.room === entity.room) - Number(a.room === entity.room) ||
        a.spoken.localeCompare(b.spoken),
    );
  // A span that ends now moves on all the time; what is compared moves on by the hour.
  const byHand = reference === BY_HAND;
  const typed = typedValues(byHand ? text : "", entity.unit);
  const start = Math.floor(window.start / HOUR_MS) * HOUR_MS;
  const end =
    (byHand ? Math.ceil(window.end / HOUR_MS) : Math.floor(window.end / HOUR_MS)) * HOUR_MS;
  const beside = byHand ? { typed: typed.values } : { reference };
  const found = useQuery({
    queryKey: ["beside", entity.entity, beside, start, end],
    queryFn: () => changes.compareBeside(entity.entity, { ...beside, start, end }),
    enabled: byHand ? typed.values.length > 0 && typed.wrong === null : reference !== "",
    placeholderData: keepPreviousData,
    retry: false,
  });
  const correct = useChange({
    mutationFn: (gain: boolean) =>
      changes.calibrate(entity.entity, { ...beside, start, end, gain, past }),
    onSuccess: done,
  });
  return (
    <>
      <Labelled
        label="Reference"
        hint="A value of the same kind from a sensor that you trust, placed beside this one for some days."
      >
        <select
          value={reference}
          onChange={(event) => setReference(event.target.value)}
          className="field"
        >
          <option value="">choose a value …</option>
          <option value={BY_HAND}>values that I read off an instrument</option>
          {alike.map((one) => (
            <option key={one.entity} value={one.entity}>
              {one.spoken}
            </option>
          ))}
        </select>
      </Labelled>
      {byHand && (
        <Labelled
          label="What the instrument said"
          hint={`A line for each value: its time, =, the value in ${entity.unit || "no unit"}. Six at least.`}
        >
          <textarea
            rows={5}
            value={text}
            placeholder="2026-11-27 10:00 = 21.4"
            onChange={(event) => setText(event.target.value)}
            className="field font-mono"
          />
        </Labelled>
      )}
      {typed.wrong !== null && (
        <Mark>This line is not a time and value: {visible(typed.wrong)}</Mark>
      )}
      {reference && (!byHand || (typed.values.length > 0 && typed.wrong === null)) && (
        <Await of={found} lines={4}>
          {(data) => (
            <>
              <Drawn
                data={data}
                entity={entity}
                window={{ span: null, start, end }}
                onWindow={onWindow}
              />
              {data.offset && (
                <p className="mt-2">
                  {data.at.length} {byHand ? "values." : "hours in which both were heard."}
                </p>
              )}
              <ul className="space-y-1">
                {data.remarks.map((one) => (
                  <li key={one}>
                    <Mark>{one}</Mark>
                  </li>
                ))}
              </ul>
              {data.offset && (
                <label className="my-4 flex items-center gap-2">
                  <input
                    type="checkbox"
                    checked={past}
                    onChange={(event) => setPast(event.target.checked)}
                  />
                  correct the past too
                </label>
              )}
              {correct.error && <Failure error={correct.error} />}
              <div className="space-y-3">
                <Correction
                  name="Correct by the offset"
                  fit={data.offset}
                  entity={entity}
                  busy={correct.isPending}
                  onCorrect={() => correct.mutate(false)}
                />
                <Correction
                  name="Correct by gain and offset"
                  fit={data.both}
                  entity={entity}
                  gain
                  busy={correct.isPending}
                  onCorrect={() => correct.mutate(true)}
                />
              </div>
              {!byHand && (
                <CalibrateSet
                  others={alike.filter((one) => one.entity !== reference && !one.hidden)}
                  beside={{ reference, start, end }}
                  past={past}
                />
              )}
            </>
          )}
        </Await>
      )}
      <div className="mt-4 flex justify-end">
        <Button onClick={close}>Leave it</Button>
      </div>
    </>
  );
}

function Correction({
  name,
  fit,
  entity,
  gain = false,
  busy,
  onCorrect,
}: {
  name: string;
  fit: Fit | null;
  entity: EntityDetail;
  gain?: boolean;
  busy: boolean;
  onCorrect: () => void;
}) {
  if (!fit) return null;
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
      <Button look={gain ? "plain" : "main"} disabled={busy} onClick={onCorrect}>
        {name}
      </Button>
      <span>
        {gain &&
          `gain ${fit.gain.toPrecision(4)} (${fit.gain_low.toPrecision(4)} to ${fit.gain_high.toPrecision(4)}), `}
        {signed(fit.offset)} {entity.unit}{" "}
        <span className="text-faint">
          (95 % between {signed(fit.low)} and {signed(fit.high)}; leaves{" "}
          {shown(fit.residual, { ...entity, decimals: entity.decimals + 1 })})
        </span>
      </span>
    </div>
  );
}

function Drawn({
  data,
  entity,
  window,
  onWindow,
}: {
  data: Comparison;
  entity: EntityDetail;
  window: Window;
  onWindow: (to: Window) => void;
}) {
  // biome-ignore lint/correctness/useExhaustiveDependencies: readings change the entity every few seconds, what is drawn does not
  const courses = useMemo(() => {
    const course = (values: number[]): History => ({
      entity: data.entity,
      unit: data.unit,
      start: data.start,
      end: data.end,
      width_ms: HOUR_MS / 4,
      at: data.at.map((at) => at + HOUR_MS / 2),
      mean: values,
      low: values,
      high: values,
      count: values.map(() => 1),
    });
    return [
      { history: course(data.sensor), entity, name: "the sensor" },
      { history: course(data.beside), entity, name: "the reference" },
    ];
  }, [data, entity.entity]);
  if (data.at.length === 0) return null;
  return (
    <div className="mt-4">
      <Chart courses={courses} window={window} onWindow={onWindow} onReset={() => undefined} />
    </div>
  );
}
