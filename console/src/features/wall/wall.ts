// What a wall shows beside its tiles, and how it is kept from burning in.
import type { House } from "../../api/client";

const [NIGHT_FROM, NIGHT_TO] = [22, 6];
// Around a small square, a step a minute.
const STEPS: [number, number][] = [
  [0, 0],
  [6, 0],
  [12, 0],
  [12, 6],
  [12, 12],
  [6, 12],
  [0, 12],
  [0, 6],
];

/** Whether the wall is dim at an hour of the day. */
export const isNight = (hour: number) => hour >= NIGHT_FROM || hour < NIGHT_TO;

/** By how much everything is moved at a moment. */
export function placeAt(now: number): { x: number; y: number } {
  const [x, y] = STEPS[Math.floor(now / 60_000) % STEPS.length] ?? [0, 0];
  return { x, y };
}

/** How the house is, in one sentence. */
export function sentence(
  needs: Pick<House["needs"][number], "text">[],
  on: string[],
): { text: string; grave: boolean } {
  const [first] = needs;
  if (first)
    return {
      text: needs.length > 1 ? `${first.text}, and ${needs.length - 1} more` : first.text,
      grave: true,
    };
  if (on.length > 0) return { text: `On now: ${on.join(", ")}`, grave: false };
  return { text: "All is well.", grave: false };
}

/** How many tiles a screen has room for, so that they can be read from three metres. */
export function fitting(width: number, height: number): number {
  const columns = Math.max(1, Math.floor((width - 40) / 380));
  const rows = Math.max(1, Math.floor((height - 220) / 210));
  return columns * rows;
}
