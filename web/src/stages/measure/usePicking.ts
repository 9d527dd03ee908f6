import { useState } from "react";
import type { MeasureKind } from "../../client/api";
import { full, type Kind, type Point } from "./kinds";

export interface Picking {
  kind: Kind;
  faces: [Point[], Point[]];
  /** Which face is being picked; the second one of a dihedral only. */
  face: 0 | 1;
  chosen: number | null;
}

const NOTHING = { faces: [[], []] as [Point[], Point[]], face: 0 as const, chosen: null };

/** What is being picked: a kind of measure and its places. */
export function usePicking(first: Kind) {
  const [picking, setPicking] = useState<Picking>({ kind: first, ...NOTHING });
  const change = (how: (points: Point[]) => Point[], chosen: (points: Point[]) => number | null) =>
    setPicking((now) => {
      const points = how(now.faces[now.face]);
      const faces: [Point[], Point[]] = now.face === 0 ? [points, now.faces[1]] : [now.faces[0], points];
      return { ...now, faces, chosen: chosen(points) };
    });
  return {
    picking,
    points: picking.faces[picking.face],
    choose: (chosen: number | null) => setPicking((now) => ({ ...now, chosen })),
    begin: (kind: Kind) => setPicking({ kind, ...NOTHING }),
    clear: () => setPicking((now) => ({ kind: now.kind, ...NOTHING })),
    turn: (face: 0 | 1) => setPicking((now) => ({ ...now, face, chosen: null })),
    /** One more place; where all were picked already, a new measure begins with it. */
    pick: (kind: MeasureKind, at: Point) =>
      change(
        (points) => (full(kind, points) ? [at] : [...points, at]),
        (points) => points.length - 1,
      ),
    move: (index: number, to: Point) =>
      change(
        (points) => points.map((one, i) => (i === index ? to : one)),
        () => index,
      ),
    drop: () =>
      change(
        (points) => points.filter((_, i) => i !== (picking.chosen ?? points.length - 1)),
        (points) => (points.length ? points.length - 1 : null),
      ),
  };
}
