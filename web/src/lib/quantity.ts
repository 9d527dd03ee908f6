/** Numbers as people type them: 0,14 and 0.14, 1/16, 1/125 s, f/4, 1.2 mm where µm are asked. */

/** What a unit comes to in the first of its kind. */
const KINDS: ReadonlyArray<Readonly<Record<string, number>>> = [
  { nm: 1e-3, µm: 1, μm: 1, um: 1, mm: 1e3, cm: 1e4, m: 1e6 },
  { ms: 1e-3, s: 1, sec: 1, min: 60, h: 3600 },
  { kB: 1e-3, MB: 1, GB: 1e3 },
];
const MARKS = new Set(["%", "± %", "×", "°", "°C", "px", "NA", "µm/s", ""]);

/** A typed number in the asked unit; null when it is none, or of another kind. */
export function quantity(text: string, unit = ""): number | null {
  const found =
    /^(?:f\s*\/\s*)?([+\-−]?(?:\d+[.,]?\d*|[.,]\d+)(?:e[+-]?\d+)?)(?:\s*\/\s*(\d+(?:[.,]\d+)?))?\s*([^\d\s].*)?$/i.exec(
      text.trim(),
    );
  if (!found?.[1]) return null;
  if (/^f/i.test(text.trim()) && unit !== "f/") return null;
  const above = Number(found[1].replace(",", ".").replace("−", "-"));
  const below = found[2] === undefined ? 1 : Number(found[2].replace(",", "."));
  const factor = conversion((found[3] ?? "").trim(), unit);
  const value = factor === null || below === 0 ? Number.NaN : (above / below) * factor;
  return Number.isFinite(value) ? Number(value.toPrecision(12)) : null;
}

/** Whether a text says more than the plain number, so that what was understood is worth showing. */
export const isPlain = (text: string) => /^[+-]?\d*\.?\d*$/.test(text.trim());

function conversion(typed: string, asked: string): number | null {
  if (typed === "" || typed === asked || (MARKS.has(typed) && MARKS.has(asked) && asked.endsWith(typed)))
    return 1;
  const kind = KINDS.find((one) => asked in one);
  const [from, to] = [kind?.[typed], kind?.[asked]];
  return from !== undefined && to !== undefined ? from / to : null;
}
