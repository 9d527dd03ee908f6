/** The one list of what keys do: from it come the keys themselves, the hints on buttons, and the sheet that lists them. */
export const GROUPS = {
  everywhere: "Everywhere",
  stack: "In a stack",
  picture: "In a picture",
  shoot: "On Shoot",
  card: "On Card and Sort",
  mend: "On Mend",
  measure: "On Measure",
} as const;
export type Group = keyof typeof GROUPS;

interface Definition {
  group: Group;
  /** The key as it ships, as the browser names it. */
  key: string;
  label: string;
  /** Whether a key that is held down does it again and again. */
  repeats?: boolean;
  /** Whether it works for as long as the key is held. */
  held?: boolean;
}

const define = <Id extends string>(all: Record<Id, Definition>) => all;

export const COMMANDS = define({
  keys: { group: "everywhere", key: "?", label: "Show these keys" },
  cabinet: { group: "everywhere", key: "c", label: "To the cabinet" },
  day: { group: "everywhere", key: "D", label: "To the day" },
  cards: { group: "everywhere", key: "C", label: "To the cards" },
  rigs: { group: "everywhere", key: "r", label: "To the rigs" },
  ledger: { group: "everywhere", key: "L", label: "To the ledger" },
  practice: { group: "everywhere", key: "P", label: "To practice" },
  find: { group: "everywhere", key: "/", label: "Find, in cabinet and ledger" },
  undo: { group: "everywhere", key: "u", label: "Undo what was done last" },
  dim: { group: "everywhere", key: "d", label: "Dim room on or off" },
  stage1: { group: "stack", key: "1", label: "First stage" },
  stage2: { group: "stack", key: "2", label: "Second stage" },
  stage3: { group: "stack", key: "3", label: "Third stage" },
  stage4: { group: "stack", key: "4", label: "Fourth stage" },
  stage5: { group: "stack", key: "5", label: "Fifth stage" },
  stage6: { group: "stack", key: "6", label: "Sixth stage" },
  stage7: { group: "stack", key: "7", label: "Seventh stage" },
  stop: { group: "shoot", key: " ", label: "Stop the rail, the sweep or the run now" },
  stepNearer: { group: "shoot", key: "[", label: "Rail one step nearer", repeats: true },
  stepFarther: { group: "shoot", key: "]", label: "Rail one step farther", repeats: true },
  nearer1: { group: "shoot", key: ";", label: "Rail 1 µm nearer", repeats: true },
  farther1: { group: "shoot", key: "'", label: "Rail 1 µm farther", repeats: true },
  nearer10: { group: "shoot", key: ",", label: "Rail 10 µm nearer", repeats: true },
  farther10: { group: "shoot", key: ".", label: "Rail 10 µm farther", repeats: true },
  nearer100: { group: "shoot", key: "<", label: "Rail 100 µm nearer", repeats: true },
  farther100: { group: "shoot", key: ">", label: "Rail 100 µm farther", repeats: true },
  runNearer: { group: "shoot", key: "n", label: "Run nearer while held", held: true },
  runFarther: { group: "shoot", key: "f", label: "Run farther while held", held: true },
  park: { group: "shoot", key: "b", label: "Back off to the end of the rail" },
  markNear: { group: "shoot", key: "m", label: "Mark the nearest point here" },
  markFar: { group: "shoot", key: "M", label: "Mark the farthest point here" },
  findEnds: { group: "shoot", key: "e", label: "Find the ends" },
  testFrame: { group: "shoot", key: "t", label: "Test frame" },
  roomFrame: { group: "shoot", key: "o", label: "Frame with the flash off" },
  followPlace: { group: "shoot", key: "h", label: "Follow the light of the place under the loupe, or stop" },
  shoot: { group: "shoot", key: "s", label: "Shoot" },
  fire: {
    group: "shoot",
    key: "j",
    label: "Knob is there: shoot the rung that is called, or say that it was shot",
  },
  again: { group: "shoot", key: "A", label: "Call the last rung again" },
  pause: { group: "shoot", key: "p", label: "Pause or go on" },
  stopAfter: { group: "shoot", key: "x", label: "Stop after the rung" },
  edges: { group: "shoot", key: "k", label: "Edges in focus" },
  grid: { group: "shoot", key: "g", label: "Grid" },
  border: { group: "shoot", key: "w", label: "Loose border" },
  loupe: { group: "shoot", key: "l", label: "Loupe" },
  nextFile: { group: "card", key: "ArrowRight", label: "Next file", repeats: true },
  fileBefore: { group: "card", key: "ArrowLeft", label: "File before", repeats: true },
  nextDoubt: { group: "card", key: "n", label: "Next file in doubt" },
  tear: { group: "card", key: "t", label: "Border here, or none" },
  leaveOut: { group: "card", key: "x", label: "Leave out, or take back" },
  closer: { group: "card", key: "l", label: "Loupe" },
  blink: { group: "card", key: " ", label: "Blink with the file before, while held", held: true },
  accept: { group: "card", key: "a", label: "Accept this stack" },
  acceptAll: { group: "card", key: "A", label: "Accept all without doubt" },
  nextPlace: { group: "mend", key: "n", label: "Next place to look at" },
  placeMended: { group: "mend", key: "m", label: "This place is mended, next" },
  placeFine: { group: "mend", key: "k", label: "This place is fine as it is, next" },
  toolPaint: { group: "mend", key: "p", label: "Paint from a frame" },
  toolPart: { group: "mend", key: "a", label: "A part that moved: base and tip" },
  toolErase: { group: "mend", key: "e", label: "Eraser, back to the merge" },
  toolHeal: { group: "mend", key: "h", label: "Heal from a place nearby" },
  toolGround: { group: "mend", key: "g", label: "Ground" },
  toolTone: { group: "mend", key: "t", label: "Tone and detail" },
  toolCrop: { group: "mend", key: "x", label: "Crop" },
  sharpest: { group: "mend", key: "s", label: "Paint from the sharpest here, again for the next" },
  frameAlone: { group: "mend", key: "f", label: "The frame alone, while held", held: true },
  before: { group: "mend", key: "b", label: "Before, while held", held: true },
  seams: { group: "mend", key: "v", label: "Seams of what was painted" },
  clipping: { group: "mend", key: "l", label: "Where tones are clipped" },
  mendUndo: { group: "mend", key: "z", label: "Undo the last step", repeats: true },
  mendRedo: { group: "mend", key: "Z", label: "Do the step again", repeats: true },
  smaller: { group: "mend", key: "[", label: "Smaller brush", repeats: true },
  larger: { group: "mend", key: "]", label: "Larger brush", repeats: true },
  harder: { group: "mend", key: "{", label: "Harder brush", repeats: true },
  softer: { group: "mend", key: "}", label: "Softer brush", repeats: true },
  weaker: { group: "mend", key: ",", label: "Weaker brush", repeats: true },
  stronger: { group: "mend", key: ".", label: "Stronger brush", repeats: true },
  takeMeasure: { group: "measure", key: "t", label: "Take the measure" },
  snap: { group: "measure", key: "s", label: "Snap the chosen place to the edge beside it" },
  dropPlace: { group: "measure", key: "Backspace", label: "Drop the chosen place" },
  clearPlaces: { group: "measure", key: "x", label: "Begin anew" },
  secondFace: { group: "measure", key: "f", label: "The second face" },
  nextOfSeries: { group: "measure", key: "i", label: "Next measure of the series" },
  nextKind: { group: "measure", key: "n", label: "Next kind of measure" },
  kindBefore: { group: "measure", key: "N", label: "Kind of measure before" },
} satisfies Record<string, Definition>);

export type CommandId = keyof typeof COMMANDS;
export const COMMAND_IDS = Object.keys(COMMANDS) as CommandId[];

/** Keys that belong to a focused part of the page; they cannot be changed. */
export const FIXED_KEYS: ReadonlyArray<readonly [Group, string, string]> = [
  ["everywhere", "Tab, then ↑ ↓ Home End", "Climb the ladder: choose a frame"],
  ["everywhere", "Esc", "Close what is open"],
  ["mend", "↑ ↓", "Paint from the rung nearer or farther"],
  ["mend", "Shift and arrows", "Nudge what was painted last by half a pixel"],
  ["mend", "Ctrl and arrows, Enter", "Move the brush, paint a dab"],
  ["mend", "+  −  0", "Zoom, whole picture"],
  ["mend", "Wheel, Space and drag", "Zoom, move the picture"],
  ["mend", "Shift, Alt, both and wheel", "Size, softness, strength of the brush"],
  ["measure", "Click, drag", "Pick a place, move it; drag a line from end to end"],
  ["measure", "Arrows, with Shift", "Move the chosen place by 0.1 px, by 1 px"],
  ["measure", "Ctrl and arrows, Enter", "Move the cross, pick there"],
  ["measure", "+  −  0, wheel, Space and drag", "Zoom, whole picture, move it"],
  ["picture", "+  −  0  and arrows", "Zoom, whole picture, move"],
];

/** Keys that a page cannot do without: they move the focus, open and close. */
const RESERVED = new Set([
  "Tab",
  "Enter",
  "Escape",
  "Shift",
  "Control",
  "Alt",
  "Meta",
  "ArrowUp",
  "ArrowDown",
]);

export type Keys = Readonly<Record<CommandId, string>>;

export function shippedKeys(): Keys {
  return Object.fromEntries(COMMAND_IDS.map((id) => [id, COMMANDS[id].key])) as Keys;
}

/** The shipped keys with a person's changes, as far as they still make sense. */
export function withChanges(changes: unknown): Keys {
  const keys: Record<CommandId, string> = { ...shippedKeys() };
  if (changes && typeof changes === "object")
    for (const [id, key] of Object.entries(changes))
      if (id in COMMANDS && typeof key === "string" && key !== "") keys[id as CommandId] = key;
  return keys;
}

/** Only what differs from the shipped keys is kept, so that new commands come with theirs. */
export function changesOf(keys: Keys): Partial<Record<CommandId, string>> {
  return Object.fromEntries(
    COMMAND_IDS.filter((id) => keys[id] !== COMMANDS[id].key).map((id) => [id, keys[id]]),
  );
}

/** Why a command cannot have this key, or null. Commands of different places may share one. */
export function whyNot(keys: Keys, id: CommandId, key: string): string | null {
  if (RESERVED.has(key)) return `${keyName(key)} is needed to move about the page.`;
  const taken = COMMAND_IDS.find((other) => other !== id && keys[other] === key && meet(other, id));
  return taken ? `${keyName(key)} is taken: ${COMMANDS[taken].label.toLowerCase()}.` : null;
}

/** What a key is called on the sheet. */
export function keyName(key: string): string {
  return NAMES[key] ?? key;
}

const NAMES: Readonly<Record<string, string>> = { " ": "Space", ArrowLeft: "←", ArrowRight: "→" };
/** Groups that are never on the page together; all else may be. */
const APART: ReadonlyArray<readonly [Group, Group]> = [
  ["picture", "shoot"],
  ["card", "picture"],
  ["card", "shoot"],
  ["mend", "shoot"],
  ["mend", "card"],
  ["measure", "shoot"],
  ["measure", "card"],
  ["measure", "mend"],
];

function meet(one: CommandId, other: CommandId): boolean {
  const places: Group[] = [COMMANDS[one].group, COMMANDS[other].group];
  return !APART.some(([first, second]) => places.includes(first) && places.includes(second));
}
