import { useEffect, useRef } from "react";
import type { LitPlace, LivePictures } from "./live";
import { FIT, FITTED } from "./views";

interface Props {
  /** Filled with what draws the pictures of a moment. */
  drawer: React.RefObject<((pictures: LivePictures) => void) | null>;
  edges: boolean;
  grid: boolean;
  /** Share of the field that stays after aligning; null hides the border. */
  inner: number | null;
  loupe: { x: number; y: number } | null;
  onLoupe: (place: { x: number; y: number }) => void;
  lit: LitPlace | null;
}

/** How bright the marked place is, to be read from across the bench. */
function PlaceReading({ lit }: { lit: LitPlace }) {
  const { best, stops, clipped } = lit;
  const below = best ? best.stops - stops : null;
  return (
    <div
      className="absolute bottom-3 left-3 w-64 rounded-s bg-card px-4 py-2"
      role="status"
      aria-label="Light of the marked place"
    >
      <p className="head text-[2.625rem] leading-tight tabular-nums">
        {stops.toFixed(1).replace("-", "−")} <span className="text-[1rem]">stops</span>
      </p>
      <div className="h-3 bg-rule" aria-hidden>
        <div className="h-full bg-amber-fill" style={{ width: `${100 * Math.max(0, 1 + stops / 8)}%` }} />
      </div>
      <p className={`mt-1 text-[0.9375rem] ${clipped ? "text-fault" : "text-ink2"}`}>
        {clipped
          ? "Washed out here: darken the live view, or the best cannot be told."
          : below === null || below < 0 // a best is kept after a few calm moments only
            ? "Hold still a moment …"
            : below < 0.1
              ? "The brightest so far."
              : `${below.toFixed(1)} below the brightest so far.`}
      </p>
    </div>
  );
}

/** The camera's live view on its mat, with marks over it. A click puts the loupe there. */
export function LiveView({ drawer, edges, grid, inner, loupe, onLoupe, lit }: Props) {
  const field = useRef<HTMLCanvasElement>(null);
  const magnified = useRef<HTMLCanvasElement>(null);
  const marked = useRef(edges);
  marked.current = edges;
  useEffect(() => {
    drawer.current = (pictures) => {
      const canvas = field.current;
      if (canvas && pictures.field) {
        if (canvas.width !== pictures.field.width || canvas.height !== pictures.field.height) {
          canvas.width = pictures.field.width;
          canvas.height = pictures.field.height;
        }
        const pen = canvas.getContext("2d");
        pen?.drawImage(pictures.field, 0, 0);
        if (marked.current && pictures.edges) pen?.drawImage(pictures.edges, 0, 0);
      }
      const glass = magnified.current;
      if (glass && pictures.loupe) {
        glass.width = pictures.loupe.width;
        glass.height = pictures.loupe.height;
        glass.getContext("2d")?.drawImage(pictures.loupe, 0, 0);
      }
    };
    return () => {
      drawer.current = null;
    };
  }, [drawer]);

  return (
    <div className="absolute inset-0 grid place-items-center [container-type:size]">
      <div className={FITTED} style={FIT}>
        <canvas
          ref={field}
          width={704}
          height={469}
          role="img"
          aria-label="Live view"
          className="block size-full cursor-crosshair"
          onClick={(event) => {
            const box = event.currentTarget.getBoundingClientRect();
            onLoupe({
              x: Math.min(Math.max((event.clientX - box.left) / box.width, 0), 1),
              y: Math.min(Math.max((event.clientY - box.top) / box.height, 0), 1),
            });
          }}
        />
        <svg
          viewBox="0 0 300 200"
          preserveAspectRatio="none"
          className="pointer-events-none absolute inset-0 size-full"
          role="presentation"
        >
          {grid && (
            <path
              d="M100 0V200M200 0V200M0 66.7H300M0 133.3H300M150 92V108M138 100H162"
              stroke="#ffffff"
              strokeOpacity="0.55"
              vectorEffect="non-scaling-stroke"
              fill="none"
            />
          )}
          {inner !== null && (
            <rect
              x={150 * (1 - inner)}
              y={100 * (1 - inner)}
              width={300 * inner}
              height={200 * inner}
              fill="none"
              stroke="#7fd0d8"
              strokeWidth="1.5"
              vectorEffect="non-scaling-stroke"
            />
          )}
          {lit && (
            <ellipse
              cx={300 * lit.place.x}
              cy={200 * lit.place.y}
              rx={300 * lit.place.radius}
              ry={300 * lit.place.radius}
              fill="none"
              stroke="#f2b434"
              strokeWidth="2"
              vectorEffect="non-scaling-stroke"
            />
          )}
          {loupe && (
            <path
              d={`M${300 * loupe.x - 8} ${200 * loupe.y}h16M${300 * loupe.x} ${200 * loupe.y - 8}v16`}
              stroke="#ffffff"
              vectorEffect="non-scaling-stroke"
            />
          )}
        </svg>
      </div>
      {lit && <PlaceReading lit={lit} />}
      {loupe && (
        <figure className="absolute right-3 bottom-3 border border-[#dfe4df] bg-mat">
          <canvas
            ref={magnified}
            role="img"
            aria-label="Loupe at 1:1"
            className="block size-[min(230px,38cqh)] object-none"
          />
          <figcaption className="px-2 py-0.5 text-[0.9375rem] text-[#dfe4df]">Loupe, 1:1</figcaption>
        </figure>
      )}
    </div>
  );
}
