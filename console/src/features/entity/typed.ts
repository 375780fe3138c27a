// Values that were read off an instrument, a line each: "2026-11-27 10:00 = 21.4".
import type { Schemas } from "../../api/client";
import { houseMs } from "../../ui/time";

/** The values, in `unit` where a line says none, and the first line that is not a value. */
export function typedValues(
  text: string,
  unit: string,
  zone?: string,
): { values: Schemas["TypedValue"][]; wrong: string | null } {
  const values: Schemas["TypedValue"][] = [];
  for (const line of text.split("\n").filter((one) => one.trim())) {
    const [when = "", given = ""] = line.split("=");
    const bare = /^[\s\d.+-]*$/.test(given);
    const value = bare && given.trim() ? `${given.trim()} ${unit}` : given;
    const at = houseMs(when, zone);
    if (at === null || !value.trim()) return { values, wrong: line.trim() };
    values.push({ at, value: value.trim() });
  }
  return { values, wrong: null };
}

/** A correction as it is written: with its sign, and three digits. */
export const signed = (value: number) =>
  `${value >= 0 ? "+" : "−"}${Math.abs(value).toPrecision(3)}`;
