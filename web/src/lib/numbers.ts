/** A number with so many significant digits, without an exponent and without trailing noise. */
export function digits(value: number, significant = 3): string {
  if (!Number.isFinite(value)) return "–";
  if (value === 0) return "0";
  const places = Math.max(0, significant - 1 - Math.floor(Math.log10(Math.abs(value))));
  return value.toFixed(Math.min(places, 6));
}

export const um = (value: number) =>
  value >= 10000 ? `${digits(value / 1000, 4)} mm` : `${trimmed(digits(value, value >= 100 ? 4 : 3))} µm`;
export const mm = (value: number) => `${digits(value, 3)} mm`;
export const times = (value: number) => `${trimmed(digits(value, 3))}×`;
export const fNumber = (value: number) => `f/${digits(value, 3)}`;
export const px = (value: number) => `${digits(value, 2)} px`;
/** A share that may be small: below 1 % its first digit that counts. */
export const fineShare = (share: number) =>
  share > 0 && share < 0.01 ? `${trimmed((100 * share).toPrecision(1))}\u00a0%` : percent(share);
export const percent = (share: number) => `${Math.round(share * 100)}\u00a0%`;

/** Without zeros that say nothing: 22.50 becomes 22.5. */
export function trimmed(text: string): string {
  return text.includes(".") ? text.replace(/0+$/, "").replace(/\.$/, "") : text;
}

/** Seconds as said at the bench: 45 s, 3 min 12 s, 1 h 17 min. */
export function duration(seconds: number): string {
  const whole = Math.round(seconds);
  if (whole < 60) return `${whole} s`;
  if (whole < 3600) return `${Math.floor(whole / 60)} min ${whole % 60} s`;
  return `${Math.floor(whole / 3600)} h ${Math.floor((whole % 3600) / 60)} min`;
}

export function bytes(count: number): string {
  const units = ["B", "kB", "MB", "GB", "TB"];
  let value = count;
  let unit = 0;
  while (value >= 1000 && unit < units.length - 1) {
    value /= 1000;
    unit += 1;
  }
  return `${unit === 0 ? value : digits(value, value >= 100 ? 3 : 2)} ${units[unit]}`;
}

export function plural(count: number, one: string, many = `${one}s`): string {
  return `${count} ${count === 1 ? one : many}`;
}

/** A value and its expanded uncertainty, from the standard one, to two digits of it. */
export function plusMinus(value: number, u: number, unit: string): string {
  if (!(u > 0)) return `${value.toPrecision(4)} ${unit}`;
  const places = Math.min(9, Math.max(0, 1 - Math.floor(Math.log10(2 * u))));
  return `${value.toFixed(places)} ± ${(2 * u).toFixed(places)} ${unit} (k = 2)`;
}

/** A time in short, as it was here. */
export const moment = (time: string) =>
  new Date(time).toLocaleString("en-GB", {
    day: "numeric",
    month: "short",
    hour: "2-digit",
    minute: "2-digit",
  });
