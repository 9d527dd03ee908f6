import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, type DepthLegendView, type Measuring, reliefPicture } from "../../../client/api";
import { um } from "../../../lib/numbers";
import { Button } from "../../../ui/Button";
import { Check } from "../../../ui/Field";
import { Notice } from "../../../ui/Notice";
import { Range } from "../../../ui/Range";
import { Relief } from "./scene";
import { type Part, surfaceOf } from "./surface";

interface Props {
  measuring: Measuring;
  legend: DepthLegendView;
  /** Contour lines every so many µm. */
  contours: number | null;
  /** The choice of how the merge is seen. */
  choice: React.ReactNode;
}

const FILES = [
  ["anaglyph.png", "Anaglyph (PNG)"],
  ["rocking.webp", "Rocking film (WebP)"],
] as const;
/** What was fetched once stays what it is: fetched anew it would be laid out anew, and turned back to the beginning. */
const FIXED = {
  staleTime: Number.POSITIVE_INFINITY,
  structuralSharing: (old: unknown, fresh: unknown) => old ?? fresh,
  retry: false,
} as const;
const TURN = 5;
const KEYS: Record<string, (relief: Relief) => void> = {
  ArrowLeft: (one) => one.turn(TURN, 0),
  ArrowRight: (one) => one.turn(-TURN, 0),
  ArrowUp: (one) => one.turn(0, TURN),
  ArrowDown: (one) => one.turn(0, -TURN),
  "+": (one) => one.zoom(1.25),
  "=": (one) => one.zoom(1.25),
  "-": (one) => one.zoom(0.8),
  "0": (one) => one.home(),
};

/** The merge as a relief to turn. */
export default function ReliefView({ measuring, legend, contours, choice }: Props) {
  const { merge_id, width_px, height_px } = measuring;
  const um_per_px = measuring.um_per_px ?? 1;
  const box = useRef<HTMLDivElement>(null);
  const relief = useRef<Relief | null>(null);
  const [part, setPart] = useState<Part | null>(null);
  const [coloured, setColoured] = useState(false);
  const [exaggeration, setExaggeration] = useState(1);
  const [shown, setShown] = useState(false);
  const [fault, setFault] = useState<string | null>(null);
  const surface = useQuery({
    queryKey: ["relief", merge_id, um_per_px],
    queryFn: async () => surfaceOf(await api.relief(merge_id)),
    ...FIXED,
  });
  const detail = useQuery({
    queryKey: ["relief", merge_id, um_per_px, part],
    queryFn: async () => surfaceOf(await api.relief(merge_id, part ?? undefined)),
    enabled: part !== null,
    gcTime: 0,
    ...FIXED,
  });
  useEffect(() => {
    if (!surface.data || !box.current) return;
    let made: Relief;
    setShown(false);
    try {
      made = new Relief(
        box.current,
        { width: width_px, height: height_px, umPerPx: um_per_px },
        { near: legend.near ?? 0, far: legend.far ?? 1, colours: legend.colours },
        setPart,
      );
    } catch {
      setFault(
        "This browser draws nothing in 3D here. Depth colours and contour lines show the same depths.",
      );
      return;
    }
    relief.current = made;
    made.show(surface.data, reliefPicture(merge_id)).then(
      () => relief.current === made && setShown(true),
      () => setFault("The picture for the relief could not be loaded. Load the page again."),
    );
    return () => {
      relief.current = null;
      made.close();
    };
  }, [surface.data, merge_id, width_px, height_px, um_per_px, legend]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new surface has to be dressed, too
  useEffect(() => {
    relief.current?.set({ coloured, contours, exaggeration });
  }, [coloured, contours, exaggeration, shown]);
  useEffect(() => {
    if (!shown) return;
    const found = part && detail.data ? detail.data : null;
    void relief.current?.refine(found, part ? reliefPicture(merge_id, part) : "", part);
  }, [detail.data, part, merge_id, shown]);
  const failed = surface.error?.message ?? fault;
  const deep = legend.near !== null && legend.far !== null ? legend.far - legend.near : 0;
  return (
    <>
      <div
        className="relative min-h-0 flex-1 overflow-hidden bg-mat small:h-[60vh] small:min-h-72 small:flex-none"
        data-shown={shown}
        data-fine={part !== null && detail.isSuccess}
      >
        <div
          ref={box}
          role="application"
          // biome-ignore lint/a11y/noNoninteractiveTabindex: it is turned with keys, too
          tabIndex={0}
          aria-label={`Relief, ${um(width_px * um_per_px)} wide, ${um(height_px * um_per_px)} high, ${um(deep)} deep: arrows turn it, plus and minus zoom, 0 shows all`}
          className="absolute inset-0 touch-none"
          onKeyDown={(event) => {
            const does = KEYS[event.key];
            if (!does || !relief.current) return;
            event.preventDefault();
            event.stopPropagation();
            does(relief.current);
          }}
        />
        {!shown && !failed && (
          <p className="pointer-events-none absolute inset-0 grid place-items-center text-[#dfe4df]">
            <span className="bg-mat px-3 py-1">Laying the surface out …</span>
          </p>
        )}
        {failed && (
          <div className="absolute inset-0 grid place-items-center p-6">
            <Notice kind="fault" title="There is no relief.">
              {failed}
            </Notice>
          </div>
        )}
        {shown && (
          <p className="pointer-events-none absolute bottom-2.5 left-3 z-10 rounded-s bg-card px-2.5 py-1.5 text-[0.875rem]">
            {exaggeration === 1 ? "Depth as it is" : `Depth drawn ${exaggeration} times as deep`}; a corner
            every {(part && detail.data ? detail.data : surface.data)?.everyPx} px. Where depth is unknown the
            surface is open.
          </p>
        )}
      </div>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 border-ink border-t bg-card px-4 py-1.5">
        {choice}
        <Check label="Depth colours" checked={coloured} onChange={setColoured} />
        <div className="w-56">
          <Range
            compact
            label="Depth"
            value={exaggeration}
            least={1}
            most={10}
            step={0.5}
            told={exaggeration === 1 ? "as it is" : `${exaggeration} times`}
            onChange={(value) => setExaggeration(Math.max(1, value))}
          />
        </div>
        <span className="ml-auto flex flex-wrap gap-x-4 text-[0.9375rem]">
          {FILES.map(([file, label]) => (
            <a
              key={file}
              href={`/api/merges/${merge_id}/${file}`}
              className="inline-flex min-h-9 items-center underline underline-offset-3"
            >
              {label}
            </a>
          ))}
        </span>
        <Button onClick={() => relief.current?.home()}>Show all</Button>
      </div>
    </>
  );
}
