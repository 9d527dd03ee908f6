import { useState } from "react";
import { type CardFile, type CardStack, cardFileUrl } from "../../client/api";

interface Props {
  file: CardFile;
  before: CardFile | undefined;
  blinking: boolean;
  flags: CardStack["flags"];
}

/** A file looked at closely: the whole of it, and below it a piece at 1:1; blinked with the one before. */
export function Closer({ file, before, blinking, flags }: Props) {
  const [point, setPoint] = useState({ x: 0.5, y: 0.5 });
  const [size, setSize] = useState({ width: file.width_px ?? 1, height: file.height_px ?? 1 });
  const shown = blinking && before ? before : file;
  // Both are in the page, so that blinking waits for nothing.
  const both = before ? [file, before] : [file];
  // Where a camera stood upright, the picture is turned, and boxes lie elsewhere.
  const asItLies = size.width === file.width_px && size.height === file.height_px;
  const box = asItLies && !blinking ? flags.find((flag) => flag.box)?.box : null;
  const look = (event: React.PointerEvent<SVGSVGElement>) => {
    const matrix = event.currentTarget.getScreenCTM();
    if (!matrix) return;
    const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(matrix.inverse());
    const within = (value: number) => Math.min(Math.max(value, 0), 1);
    setPoint({ x: within(at.x / size.width), y: within(at.y / size.height) });
  };
  return (
    <section aria-label="Loupe" className="flex min-h-0 flex-col gap-2 border-rule border-l bg-sheet p-3">
      <p className="head truncate text-[0.9375rem]">
        {shown.name}
        {blinking && (before ? ", the file before" : ": there is none before it")}
      </p>
      <div className="min-h-0 flex-1 bg-mat small:h-60 small:flex-none">
        <svg
          viewBox={`0 0 ${size.width} ${size.height}`}
          className="h-full w-full"
          role="img"
          aria-label={`${shown.name}, whole`}
          onPointerMove={look}
        >
          {both.map((one) => (
            <image
              key={one.id}
              href={cardFileUrl(one.id, "picture.jpg")}
              width={size.width}
              height={size.height}
              visibility={one === shown ? "visible" : "hidden"}
            />
          ))}
          {box && (
            <rect
              x={(box[0] ?? 0) * size.width}
              y={(box[1] ?? 0) * size.height}
              width={(box[2] ?? 0) * size.width}
              height={(box[3] ?? 0) * size.height}
              fill="none"
              stroke="var(--fault)"
              strokeWidth="2"
              vectorEffect="non-scaling-stroke"
            />
          )}
        </svg>
      </div>
      <div className="relative min-h-0 flex-1 overflow-hidden bg-mat small:h-60 small:flex-none">
        {both.map((one) => (
          <img
            key={one.id}
            alt={one === shown ? `${one.name}, at 1:1` : ""}
            draggable={false}
            src={cardFileUrl(one.id, "picture.jpg")}
            onLoad={({ currentTarget: { naturalWidth, naturalHeight } }) =>
              one === file && setSize({ width: naturalWidth, height: naturalHeight })
            }
            className="absolute top-1/2 left-1/2 max-w-none"
            style={{
              visibility: one === shown ? "visible" : "hidden",
              width: size.width / window.devicePixelRatio,
              transform: `translate(${-100 * point.x}%, ${-100 * point.y}%)`,
            }}
          />
        ))}
      </div>
      <p className="text-[0.875rem] text-ink2">Below at 1:1, where the pointer is in the picture above.</p>
    </section>
  );
}
