// A chart as a picture for elsewhere: an SVG, or a PNG that is drawn of it.
import { exact } from "../ui/time";
import { columns, isCalm } from "./numbers";
import { type Course, colour, nameOf, toneName, unitsOf } from "./plot";

const [WIDTH, HEIGHT] = [1200, 600];
const [LEFT, RIGHT, TOP, FOOT] = [70, 70, 70, 50];
const TICKS = 5;
const FINER = 2;

/** Round numbers from low to high, five or so. */
export function ticks(low: number, high: number): number[] {
  const raw = (high - low || 1) / TICKS;
  const ten = 10 ** Math.floor(Math.log10(raw));
  const step = ten * ([1, 2, 5, 10].find((one) => one * ten >= raw) ?? 10);
  const found: number[] = [];
  for (let at = Math.ceil(low / step) * step; at <= high + step / 1e6; at += step)
    found.push(Number(at.toPrecision(12)));
  return found;
}

const safe = (text: string) =>
  text
    .replace(/[&<>"]/g, (sign) => `&#${sign.charCodeAt(0)};`)
    .replace(/[\p{Cc}\p{Cs}\uFFFE\uFFFF]/gu, "");
const round = (value: number) => Math.round(value * 10) / 10;

/** The chart of some courses over one span, as a whole SVG document. */
export function svgOf(courses: Course[], title: string, ink = colour): string {
  const [first] = courses;
  const [start, end] = first ? [first.history.start, first.history.end] : [0, 1];
  const units = unitsOf(courses);
  const x = (at: number) => round(LEFT + ((at - start) / (end - start)) * (WIDTH - LEFT - RIGHT));
  const scales = units.map((unit) => {
    const of = courses.filter((one) => one.entity.unit === unit).map((one) => one.history);
    const low = Math.min(...of.flatMap((one) => one.low));
    const high = Math.max(...of.flatMap((one) => one.high));
    const room = (high - low || 1) * 0.05;
    return { unit, low: low - room, high: high + room };
  });
  const y = (value: number, unit: string) => {
    const scale = scales.find((one) => one.unit === unit) ?? { low: 0, high: 1 };
    return round(TOP + ((scale.high - value) / (scale.high - scale.low)) * (HEIGHT - TOP - FOOT));
  };
  const parts: string[] = [];
  const text = (at: [number, number], words: string, more = "") =>
    parts.push(`<text x="${at[0]}" y="${at[1]}" ${more}>${safe(words)}</text>`);
  const rule = (d: string) => parts.push(`<path d="${d}" stroke="${ink("rule")}" fill="none"/>`);
  scales.forEach(({ unit, low, high }, side) => {
    const edge = side === 0 ? LEFT - 8 : WIDTH - RIGHT + 8;
    const anchor = `text-anchor="${side === 0 ? "end" : "start"}"`;
    for (const at of ticks(low, high)) {
      if (side === 0) rule(`M${LEFT} ${y(at, unit)}H${WIDTH - RIGHT}`);
      text([edge, y(at, unit) + 5], String(at), anchor);
    }
    text([edge, TOP - 14], unit, anchor);
  });
  for (let part = 0; part <= 4; part += 1) {
    const at = start + ((end - start) * part) / 4;
    rule(`M${x(at)} ${TOP}V${HEIGHT - FOOT}`);
    const anchor = part === 0 ? "start" : part === 4 ? "end" : "middle";
    text([x(at), HEIGHT - FOOT + 24], exact(at), `text-anchor="${anchor}"`);
  }
  let named = LEFT;
  courses.forEach((course, place) => {
    const tone = ink(toneName(place));
    const [at = [], mean = [], low = [], high = []] = columns(
      course.history,
      isCalm(course.history, course.entity),
    ) as (number | null)[][];
    for (const run of runs(at, mean)) {
      const to = (column: (number | null)[]) => (n: number) =>
        `${x((at[n] ?? 0) * 1000)} ${y(column[n] ?? 0, course.entity.unit)}`;
      if (course.entity.drawn === "needle") {
        // Lines of no length with round ends are points.
        const points = run.map((n) => `M${to(mean)(n)}h0`).join("");
        parts.push(
          `<path d="${points}" stroke="${tone}" stroke-width="4" stroke-linecap="round"/>`,
        );
        continue;
      }
      const band = [...run.map(to(high)), ...run.toReversed().map(to(low))].join("L");
      parts.push(`<path d="M${band}Z" fill="${tone}" opacity="0.15"/>`);
      const line = run.map(to(mean)).join("L");
      parts.push(`<path d="M${line}" stroke="${tone}" stroke-width="2" fill="none"/>`);
    }
    parts.push(`<path d="M${named} 44h24" stroke="${tone}" stroke-width="3"/>`);
    text([named + 32, 49], nameOf(course));
    named += 60 + 8 * nameOf(course).length;
  });
  const font = 'font-family="sans-serif" font-size="14"';
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${WIDTH}" height="${HEIGHT}" viewBox="0 0 ${WIDTH} ${HEIGHT}" ${font} fill="${ink("ink")}"><title>${safe(title)}</title><rect width="100%" height="100%" fill="${ink("sheet")}"/><text x="${LEFT}" y="24" font-size="18">${safe(title)}</text>${parts.join("")}</svg>`;
}

/** The stretches without a gap, as the places of their points. */
function runs(at: (number | null)[], mean: (number | null)[]): number[][] {
  const found: number[][] = [];
  at.forEach((_, place) => {
    if (mean[place] === null || mean[place] === undefined) return;
    const last = found.at(-1);
    if (last && last.at(-1) === place - 1) last.push(place);
    else found.push([place]);
  });
  return found;
}

/** An SVG as a PNG, twice as fine. */
async function pngOf(svg: string): Promise<Blob> {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [WIDTH * FINER, HEIGHT * FINER];
  canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
  return new Promise((take, fail) =>
    canvas.toBlob((blob) => (blob ? take(blob) : fail(new Error("no picture came of it")))),
  );
}

/** What a chart's file is called, in whatever script its title is. */
export const fileName = (title: string) =>
  title
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "-")
    .replace(/^-|-$/g, "") || "chart";

/** Have the browser keep the chart as a file. */
export async function download(courses: Course[], title: string, as: "svg" | "png") {
  const svg = svgOf(courses, title);
  const blob = as === "svg" ? new Blob([svg], { type: "image/svg+xml" }) : await pngOf(svg);
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = `${fileName(title)}.${as}`;
  link.click();
  // The browser has taken it by then.
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
