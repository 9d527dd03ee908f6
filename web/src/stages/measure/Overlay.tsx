import type { MeasureKind, Measuring } from "../../client/api";
import { Contours } from "../../pictures/Contours";
import { Label, Line, Ring } from "./Drawn";
import type { Point } from "./kinds";
import { ReferenceDrawn } from "./ReferencePanel";
import type { useReference } from "./reference";
import type { Picking } from "./usePicking";

interface Props {
  measuring: Measuring;
  kinds: MeasureKind[];
  /** The measure that is looked at. */
  open: number | null;
  /** Px of the screen for one of the picture. */
  scale: number;
  /** Whether contour lines are shown. */
  lined: boolean;
  every: number | null;
  picking: Picking;
  /** What gives the scale, while that is being picked. */
  reference: ReturnType<typeof useReference> | null;
}

/** What lies on the picture: measures taken, what is being picked, contour lines. */
export function Overlay({ measuring, kinds, open, scale, lined, every, picking, reference }: Props) {
  const outline = (of: string) => kinds.find((one) => one.kind === of)?.outline ?? false;
  const [points, chosen] = reference
    ? [reference.points, reference.chosen]
    : [picking.faces[picking.face], picking.chosen];
  const ring = chosen === null ? undefined : points[chosen];
  return (
    <>
      {lined && (
        <g transform="translate(-0.5 -0.5)">
          <Contours mergeId={measuring.merge_id} {...(every === null ? {} : { every })} />
        </g>
      )}
      {measuring.measures.map((one) => (
        <g key={one.id}>
          {[one.picks[0]?.points, one.picks[0]?.points_b].map(
            (places, face) =>
              places && (
                <Line
                  // biome-ignore lint/suspicious/noArrayIndexKey: the first face and the second
                  key={face}
                  points={places as Point[]}
                  closed={outline(one.kind)}
                  joined={one.kind !== "count"}
                  lit={one.id === open}
                />
              ),
          )}
          <Label measure={one} scale={scale} />
        </g>
      ))}
      {reference ? (
        <>
          <ReferenceDrawn reference={reference} />
          <Line points={reference.points} closed={false} joined={false} lit />
        </>
      ) : (
        picking.faces.map((places, face) => (
          <Line
            // biome-ignore lint/suspicious/noArrayIndexKey: the first face and the second
            key={face}
            points={places}
            closed={outline(picking.kind)}
            joined={picking.kind !== "count"}
            lit
          />
        ))
      )}
      {ring && <Ring at={ring} scale={scale} />}
    </>
  );
}
