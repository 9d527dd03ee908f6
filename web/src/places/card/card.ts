import type { Card, CardFile, CardStack } from "../../client/api";

/** A card as the page moves through it: files in the order of shooting, and which stack each belongs to. */
export interface Tape {
  files: CardFile[];
  place: Map<number, number>;
  stackOf: Map<number, CardStack>;
  reasons: Map<number, string>;
  separators: Set<number>;
  borders: Map<number, { reason: string; by_hand: boolean }>;
  /** Files that were brought after the last look, or before the first. */
  fresh: CardFile[];
  refused: CardFile[];
}

export function tapeOf(card: Card): Tape {
  const stackOf = new Map<number, CardStack>();
  for (const stack of card.stacks) for (const file of stack.files) stackOf.set(file, stack);
  const separators = new Set(card.separators);
  const usable = card.files.filter((file) => !file.refused);
  const seen = usable.filter((file) => stackOf.has(file.id) || separators.has(file.id));
  return {
    files: seen,
    place: new Map(seen.map((file, place) => [file.id, place])),
    stackOf,
    reasons: new Map(
      card.stacks.flatMap((one) => one.left_out.map((out) => [out.file, out.reason] as const)),
    ),
    separators,
    borders: new Map(card.borders.map((one) => [one.before, one])),
    fresh: usable.filter((file) => !stackOf.has(file.id) && !separators.has(file.id)),
    refused: card.files.filter((file) => file.refused),
  };
}

const DECIMALS: Readonly<Record<string, number>> = { stops: 1, px: 0, "%": 1 };
const WORDS: Readonly<Record<string, string>> = {
  out_of_focus: "out of focus",
  odd_size: "odd size",
};

/** A flag in two or three words: dark −3.0 stops. */
export function flagWords(flag: CardStack["flags"][number]): string {
  const word = WORDS[flag.kind] ?? flag.kind;
  const decimals = DECIMALS[flag.unit];
  if (decimals === undefined || flag.kind === "odd_size") return word;
  const figure = flag.figure.toFixed(decimals).replace("-", "−");
  return `${word} ${figure}${flag.unit === "%" ? " %" : ` ${flag.unit}`}`;
}

/** Why frames are left out of which others would do. */
export const FEWER = "fewer frames would do";

/** Every how manieth frame would do, of a stack that was not thinned yet; null where all are needed. */
export function thinnable(stack: CardStack): NonNullable<CardStack["thin"]> | null {
  if (!stack.thin || stack.thin.every < 2) return null;
  return stack.left_out.some((one) => one.reason === FEWER) ? null : stack.thin;
}

/** Files that a person should look at: in doubt, or with something wrong. In the order of shooting. */
export function doubtful(tape: Tape, card: Card): number[] {
  const found = new Set<number>();
  for (const stack of card.stacks) {
    if (stack.accepted) continue;
    for (const doubt of stack.doubts) found.add(doubt.file);
  }
  return [...found].sort((one, other) => (tape.place.get(one) ?? 0) - (tape.place.get(other) ?? 0));
}

/** Stacks that one key accepts: nothing is in doubt, and it is known where they go. */
export const withoutDoubt = (card: Card): CardStack[] =>
  card.stacks.filter((one) => !one.accepted && one.goes && one.doubts.length === 0);

/** Heights of the relief over the files, 0 to 1: sharpness against the sharpest file of the same stack. */
export function relief(tape: Tape): number[] {
  const most = new Map<CardStack, number>();
  const least = new Map<CardStack, number>();
  for (const file of tape.files) {
    const stack = tape.stackOf.get(file.id);
    if (!stack || file.sharp === null) continue;
    most.set(stack, Math.max(most.get(stack) ?? 0, file.sharp));
    least.set(stack, Math.min(least.get(stack) ?? Number.POSITIVE_INFINITY, file.sharp));
  }
  return tape.files.map((file) => {
    const stack = tape.stackOf.get(file.id);
    if (!stack || file.sharp === null) return 0;
    const from = least.get(stack) ?? 0;
    return (file.sharp - from) / Math.max((most.get(stack) ?? 1) - from, 1e-6);
  });
}

export const ordinal = (number: number) =>
  ({ 2: "second", 3: "third", 4: "fourth" })[number] ?? `${number}th`;

/** A camera's own clock, as it stands in the file. */
export const clock = (time: string | null): string => time?.slice(11, 19) ?? "no time";
