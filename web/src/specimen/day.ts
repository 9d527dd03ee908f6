import type { Day, DayChange, DayEntry, DayItem, Schemas } from "../client/api";
import { plural } from "../lib/numbers";

const two = (number: number) => String(number).padStart(2, "0");

/** A date as the server names it: here, not at Greenwich. */
export const dateOf = (time: Date) =>
  `${time.getFullYear()}-${two(time.getMonth() + 1)}-${two(time.getDate())}`;

/** The date in an address; none for today. */
export function readDate({ on }: Record<string, unknown>): { on?: string } {
  const read = typeof on === "string" && /^\d{4}-\d{2}-\d{2}$/.test(on) ? new Date(`${on}T12:00`) : null;
  return read && dateOf(read) === on ? { on } : {};
}

export function shifted(on: string, days: number): string {
  const time = new Date(`${on}T12:00`);
  time.setDate(time.getDate() + days);
  return dateOf(time);
}

export const inFull = (on: string) =>
  new Date(`${on}T12:00`).toLocaleDateString("en-GB", {
    weekday: "long",
    day: "numeric",
    month: "long",
    year: "numeric",
  });

/** The time of day here. */
export const clock = (time: string) => {
  const read = new Date(time);
  return `${two(read.getHours())}:${two(read.getMinutes())}`;
};

/** A time of day on a date, as the server wants it; null while it is not one. */
export const at = (on: string, time: string) =>
  /^\d{2}:\d{2}$/.test(time) ? new Date(`${on}T${time}`).toISOString() : null;

/** What stands in a list, to be changed and sent. */
export const entryOf = (day: Day): DayEntry => ({
  starts_at: day.starts_at,
  ends_at: day.ends_at,
  breaks: day.breaks,
  change_min: day.change_s / 60,
  set_up_min: day.set_up_s / 60,
  items: day.items.map((one) => ({
    stack_id: one.stack_id,
    set_up_min: one.own_set_up ? one.set_up_s / 60 : null,
    by_at: one.by_at,
    vanishes: one.vanishes as Schemas["VanishesEntry"] | null,
  })),
  seen: day.revision,
});

/** A day before anything was said about it; these hours are no more than a beginning. In an evening it goes on. */
export function newDay(on: string): DayEntry {
  const now = new Date();
  const late = on === dateOf(now) && now.getHours() >= 14;
  return {
    starts_at: at(on, late ? `${two(now.getHours())}:00` : "09:00") ?? "",
    ends_at: at(on, late ? "23:59" : "17:00") ?? "",
    breaks: late ? [] : [{ from_at: at(on, "12:30") ?? "", until_at: at(on, "13:15") ?? "" }],
    change_min: 15,
    set_up_min: 10,
    items: [],
    seen: 0,
  };
}

export const minutes = (seconds: number) => {
  const whole = Math.round(seconds / 60);
  return whole < 60 ? `${whole} min` : `${Math.floor(whole / 60)} h ${two(whole % 60)} min`;
};

/** What a change of the order costs or saves, in words. */
export function costs({ before, day, proven }: DayChange): string {
  const now = day.totals;
  const told: string[] = [];
  if (before) {
    const changes = now.changes - before.changes;
    if (changes) told.push(`${plural(Math.abs(changes), "change")} of rig ${changes > 0 ? "more" : "fewer"}`);
    if (now.ends_at && before.ends_at) {
      const later = (Date.parse(now.ends_at) - Date.parse(before.ends_at)) / 1000;
      if (Math.abs(later) >= 60)
        told.push(`done ${minutes(Math.abs(later))} ${later > 0 ? "later" : "sooner"}`);
    }
    const out = now.do_not_fit - before.do_not_fit;
    if (out) told.push(`${Math.abs(out)} ${out > 0 ? "more do" : "fewer do"} not fit`);
  }
  const ordered =
    proven === null || proven === undefined
      ? ""
      : proven
        ? "No better order is possible. "
        : "The best order that was found. ";
  const much = told.length ? `${told.join(", ")}.` : before ? "It costs nothing." : "";
  return ordered + much.charAt(0).toUpperCase() + much.slice(1);
}

/** Why something does not fit. */
export function whyNot(item: DayItem): string {
  const alone = item.alone ? "" : " Even as the first of all.";
  if (item.late_s > 0) return `Its last frame comes ${minutes(item.late_s)} after its last moment.${alone}`;
  return `It ends ${minutes(item.over_s)} after the day.${alone}`;
}
