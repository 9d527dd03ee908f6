import type { LedgerPage } from "../../client/api";

/** What the ledger's address holds: filter, order, columns, and which plot. */
export interface Search {
  words?: string;
  kind?: string[];
  rig?: string[];
  medium?: string[];
  scale?: string[];
  having?: string[];
  range?: string[];
  since?: string;
  until?: string;
  by?: string;
  descending?: boolean;
  column?: string[];
  plot?: string;
}

const LISTS = ["kind", "rig", "medium", "scale", "having", "range", "column"] as const;
const LINES = ["words", "since", "until", "by", "plot"] as const;

/** An address that somebody typed or kept may hold anything: what cannot be read is left away. */
export function readSearch(given: Record<string, unknown>): Search {
  const found: Search = {};
  for (const key of LISTS) {
    const value = given[key];
    const list = (Array.isArray(value) ? value : value === undefined ? [] : [value]).map(String);
    if (list.length > 0) found[key] = list;
  }
  for (const key of LINES) {
    const value = given[key];
    if ((typeof value === "string" || typeof value === "number") && value !== "") found[key] = String(value);
  }
  if (given.descending === false || given.descending === "false") found.descending = false;
  return found;
}

/** The part of it that tells which stacks, as the server takes it. */
export function filterOf({ by: _by, descending: _down, column: _column, plot: _plot, ...filter }: Search) {
  return filter;
}

export const HAVING: Readonly<Record<string, string>> = {
  again: "to shoot again",
  gap: "a gap",
  end: "an end not reached",
  moved: "something moved",
  coarse: "a step larger than sharp depth",
  left_out: "frames left out",
  findings: "places to look at",
  mended: "mended",
  measured: "measures",
  scale_open: "no measured scale",
  not_shot: "not shot yet",
  not_merged: "no record yet",
};
export const SCALES: Readonly<Record<string, string>> = {
  measured: "scale measured",
  picture: "scale from the picture",
  nominal: "scale nominal",
  unknown: "scale not known",
};

/** One thing that the filter asks for, as a chip that takes it away. */
export interface Chip {
  words: string;
  without: Partial<Search>;
}

/** All that the filter asks for besides words. */
export function chips(search: Search, title: (column: string) => string): Chip[] {
  const of = (key: (typeof LISTS)[number], words: (one: string) => string) =>
    (search[key] ?? []).map((one) => ({
      words: words(one),
      without: { [key]: search[key]?.filter((other) => other !== one) },
    }));
  const range = (text: string) => {
    const [key = "", low = "", high = ""] = text.split(":");
    const figure = (end: string) => Number(Number(end).toPrecision(3)).toString();
    if (low === "") return `${title(key)} up to ${figure(high)}`;
    return high === ""
      ? `${title(key)} from ${figure(low)}`
      : `${title(key)} ${figure(low)} to ${figure(high)}`;
  };
  return [
    ...of("kind", (one) => one),
    ...of("rig", (one) => one),
    ...of("medium", (one) => `in ${one}`),
    ...of("scale", (one) => SCALES[one] ?? one),
    ...of("having", (one) => HAVING[one] ?? one),
    ...of("range", range),
    ...(search.since ? [{ words: `since ${search.since}`, without: { since: undefined } }] : []),
    ...(search.until ? [{ words: `until ${search.until}`, without: { until: undefined } }] : []),
  ];
}

export type Line = LedgerPage["rows"][number];
