/** Powers of a flash in thirds of a stop, from full down. */
export const POWERS = Array.from({ length: 25 }, (_, thirds) => 2 ** (-thirds / 3));

/** As engraved on the flash: 1/8, or 1/16 + 2/3. */
export function engraved(power: number): string {
  const thirds = Math.round(-Math.log2(power) * 3);
  const whole = Math.ceil(thirds / 3);
  const above = whole * 3 - thirds;
  return `1/${2 ** whole}${above ? ` + ${above}/3` : ""}`;
}
