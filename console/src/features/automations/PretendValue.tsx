// A pretend value of an entity: typed, or dragged over what is usual here and what the
// text names.
import type { Entity } from "../../api/client";
import { useNumbers } from "../../api/courses";

const STEPS_AT_LEAST = 20;

interface Props {
  label: string;
  value: string;
  onValue: (value: string) => void;
  /** It is let go of. */
  onRest: () => void;
}

export function PretendValue({
  entity,
  text,
  ...props
}: Props & { entity: Entity | undefined; text: string }) {
  const { label, value, onValue } = props;
  return (
    <>
      <input
        aria-label={label}
        placeholder="a value"
        value={value}
        onChange={(event) => onValue(event.target.value)}
        className="field w-32"
      />
      {entity?.words && <States words={entity.words} {...props} />}
      {entity && !entity.words && <Slider entity={entity} text={text} {...props} />}
    </>
  );
}

function States({ words, label, value, onValue }: Props & { words: string[] }) {
  return (
    <select
      aria-label={`${label}, one of its states`}
      value={words.includes(value) ? value : ""}
      onChange={(event) => onValue(event.target.value)}
      className="field w-40"
    >
      <option value="" disabled>
        or choose …
      </option>
      {words.map((word) => (
        <option key={word}>{word}</option>
      ))}
    </select>
  );
}

function Slider({
  entity,
  text,
  label,
  value,
  onValue,
  onRest,
}: Props & { entity: Entity; text: string }) {
  const usual = useNumbers(entity.entity, { span: "month" }, undefined).data;
  const step = 10 ** -entity.decimals;
  const [low, high] = rangeOf(
    [usual?.low, usual?.high, entity.value, ...named(text, entity.unit)],
    entity,
  );
  const typed = Number.parseFloat(value.replace(",", "."));
  const now = Number.isFinite(typed) ? typed : (entity.value ?? low);
  return (
    <input
      type="range"
      aria-label={`${label}, dragged`}
      aria-valuetext={`${now.toFixed(entity.decimals)} ${entity.unit}`.trim()}
      min={low}
      max={high}
      step={step}
      value={Math.min(Math.max(now, low), high)}
      onChange={(event) =>
        onValue(`${Number(event.target.value).toFixed(entity.decimals)} ${entity.unit}`.trim())
      }
      onPointerUp={onRest}
      onKeyUp={onRest}
      className="w-48 accent-act"
    />
  );
}

/** The values of a text that are in this unit. */
export function named(text: string, unit: string): number[] {
  return [...text.matchAll(/"\s*(-?\d+(?:[.,]\d+)?)\s*([^"\d]*?)\s*"/g)]
    .filter(([, , of]) => of === unit)
    .map(([, number = ""]) => Number(number.replace(",", ".")));
}

/** All of these with some room around them, as far as the entity goes. */
export function rangeOf(
  values: (number | null | undefined)[],
  { low, high, decimals }: Pick<Entity, "low" | "high" | "decimals">,
): [number, number] {
  const known = values.filter((one): one is number => one != null && Number.isFinite(one));
  if (known.length === 0) return [low, high];
  const least = Math.min(...known);
  const most = Math.max(...known);
  const step = 10 ** -decimals;
  const room = Math.max((most - least) / 4, (STEPS_AT_LEAST * step) / 2);
  const rounded = (to: number) => Number((Math.round(to / step) * step).toFixed(decimals));
  return [Math.max(low, rounded(least - room)), Math.min(high, rounded(most + room))];
}
