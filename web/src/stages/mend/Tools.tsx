import type { Mend, Sharpest } from "../../client/api";
import type { CommandId } from "../../lib/commands";
import { digits, percent, trimmed } from "../../lib/numbers";
import type { Box } from "../../pictures/Viewer";
import { title } from "../../specimen/report";
import type { Finished } from "../../specimen/stack";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { useHint } from "../../ui/commands";
import { Notice } from "../../ui/Notice";
import { Range } from "../../ui/Range";
import { type Brush, changed, MOST_RADIUS, type Point, type Tool } from "./steps";

const TOOLS: ReadonlyArray<{ tool: Tool; label: string; command?: CommandId }> = [
  { tool: "paint", label: "Paint", command: "toolPaint" },
  { tool: "part", label: "Part", command: "toolPart" },
  { tool: "erase", label: "Erase", command: "toolErase" },
  { tool: "heal", label: "Heal", command: "toolHeal" },
  { tool: "ground", label: "Ground", command: "toolGround" },
  { tool: "tone", label: "Tone", command: "toolTone" },
  { tool: "crop", label: "Crop", command: "toolCrop" },
  { tool: "move", label: "Move" },
];

/** What is at hand. */
export function ToolRow({ tool, onTool }: { tool: Tool; onTool: (tool: Tool) => void }) {
  const hint = useHint();
  return (
    <fieldset aria-label="Tools" className="flex flex-wrap gap-1.5">
      {TOOLS.map(({ tool: one, label, command }) => (
        <button
          key={one}
          type="button"
          aria-pressed={tool === one}
          {...(command
            ? hint(command)
            : { title: "Move the picture (Space and drag does it with any tool)" })}
          className="head min-h-9 rounded-s border border-ink px-2 text-[0.9375rem] hover:bg-rule/50 aria-pressed:border-amber aria-pressed:bg-amber-fill aria-pressed:text-on-amber"
          onClick={() => onTool(one)}
        >
          {label}
        </button>
      ))}
    </fieldset>
  );
}

interface BrushProps {
  brush: Brush;
  umPerPx: number | null;
  onChange: (brush: Brush) => void;
}

/** Size, softness and strength of the brush. */
export function BrushControls({ brush, umPerPx, onChange }: BrushProps) {
  const across = 2 * brush.radius;
  const um = umPerPx === null ? "" : `, ${trimmed(digits(across * umPerPx, 2))} µm`;
  return (
    <div>
      <Range
        compact
        label="Size"
        value={Math.round(100 * Math.log2(brush.radius))}
        least={0}
        most={Math.round(100 * Math.log2(MOST_RADIUS))}
        step={5}
        told={`${trimmed(digits(across, 2))} px${um}`}
        onChange={(value) => onChange(changed({ ...brush, radius: 2 ** (value / 100) }, {}))}
      />
      <Range
        compact
        label="Softness"
        value={brush.softness}
        least={0}
        most={1}
        step={0.05}
        told={percent(brush.softness)}
        onChange={(softness) => onChange({ ...brush, softness })}
      />
      <Range
        compact
        label="Strength"
        value={brush.strength}
        least={0.05}
        most={1}
        step={0.05}
        told={percent(brush.strength)}
        onChange={(strength) => onChange({ ...brush, strength })}
      />
    </div>
  );
}

const FRAMES = "frames";

interface PaintProps {
  source: string;
  here: Sharpest[];
  waiting: string | null;
  others: Finished[];
  fromMerge: number | null;
  rung: (file: string) => string;
  onFrame: (id: number) => void;
  /** A rung is pointed at, or none any more. */
  onTry: (id: number | null) => void;
  onMerge: (id: number | null) => void;
}

/** Where paint comes from. */
export function PaintFrom({
  source,
  here,
  waiting,
  others,
  fromMerge,
  rung,
  onFrame,
  onTry,
  onMerge,
}: PaintProps) {
  return (
    <div className="space-y-1.5">
      {others.length > 0 && (
        <Choice
          beside
          label="Paint from"
          value={String(fromMerge ?? FRAMES)}
          options={[
            { value: FRAMES, label: source },
            ...others.map(({ merge }) => ({ value: String(merge.id), label: title(merge) })),
          ]}
          onChange={(value) => onMerge(value === FRAMES ? null : Number(value))}
        />
      )}
      {others.length === 0 && (
        <p className="flex justify-between border-rule border-b py-1.5">
          <span>Paint from</span> <strong>{source}</strong>
        </p>
      )}
      {waiting ? (
        <p className="text-ink2">{waiting}</p>
      ) : here.length === 0 ? (
        <p className="text-ink2">Point at a place: the four rungs that are sharpest there stand here.</p>
      ) : (
        <ul aria-label="Sharpest here" className="grid grid-cols-2 gap-1">
          {here.map((one) => (
            <li key={one.frame_id}>
              <button
                type="button"
                className="flex min-h-9 w-full items-baseline justify-between gap-1 border border-rule px-2 text-left hover:bg-amber-wash"
                onClick={() => onFrame(one.frame_id)}
                onPointerEnter={() => onTry(one.frame_id)}
                onPointerLeave={() => onTry(null)}
                onFocus={() => onTry(one.frame_id)}
                onBlur={() => onTry(null)}
              >
                <span>{rung(one.file)}</span>
                <span className="text-[0.875rem] text-ink2">{percent(one.figure)}</span>
              </button>
            </li>
          ))}
        </ul>
      )}
      <p className="text-[0.875rem] text-ink2">
        To leave a part soft, paint it from a rung in which it is out of focus, or merge again with a sharp
        range.
      </p>
    </div>
  );
}

interface PartProps {
  base: Point | null;
  found: { file: string; path: Point[]; radius_px: number; figures: Record<string, number> } | null;
  busy: boolean;
  rung: (file: string) => string;
  onPaint: () => void;
  onAgain: () => void;
}

/** A part that moved: its base and tip are asked for, the best frame for all of it is proposed. */
export function PartControls({ base, found, busy, rung, onPaint, onAgain }: PartProps) {
  if (busy) return <p role="status">Looking for the frame that shows it best …</p>;
  if (!found)
    return (
      <p className="text-ink2">
        {base
          ? "Now click its tip."
          : "Click the base of the part, then its tip: the one frame that shows it best is proposed, with the way along it."}
      </p>
    );
  const next = Object.entries(found.figures)
    .filter(([file]) => file !== found.file)
    .sort(([, one], [, two]) => two - one)
    .slice(0, 3);
  return (
    <div className="space-y-2">
      <p>
        <strong>{rung(found.file)}</strong> shows it best
        {next.length > 0 &&
          `; then ${next.map(([file, share]) => `${rung(file)} (${percent(share)})`).join(", ")}`}
        .
      </p>
      <div className="flex gap-2">
        <Button look="next" onClick={onPaint}>
          Paint it
        </Button>
        <Button onClick={onAgain}>Other points</Button>
      </div>
    </div>
  );
}

interface CropProps {
  mend: Mend;
  box: Box | null;
  turn: number;
  onShape: (ratio: number | null) => void;
  onTurn: (turn: number) => void;
  onCrop: () => void;
}

const SHAPES: ReadonlyArray<{ label: string; ratio: number | null }> = [
  { label: "free", ratio: null },
  { label: "1 : 1", ratio: 1 },
  { label: "3 : 2", ratio: 1.5 },
  { label: "4 : 3", ratio: 4 / 3 },
  { label: "16 : 9", ratio: 16 / 9 },
];

/** Crop and straighten, last of all. */
export function CropControls({ mend, box, turn, onShape, onTurn, onCrop }: CropProps) {
  const lost = box ? 1 - (box.width * box.height) / (mend.width_px * mend.height_px) : 0;
  return (
    <div className="space-y-2">
      <p className="text-ink2">Draw the part that is kept. It is cut last of all; the scale stays.</p>
      <fieldset aria-label="Shape" className="flex flex-wrap gap-1.5">
        {SHAPES.map(({ label, ratio }) => (
          <Button key={label} className="px-2.5" onClick={() => onShape(ratio)}>
            {label}
          </Button>
        ))}
      </fieldset>
      <Range
        compact
        label="Turn"
        value={turn}
        least={-15}
        most={15}
        step={0.1}
        told={`${turn.toFixed(1).replace("-", "−")}°`}
        onChange={onTurn}
      />
      {box && (
        <>
          <p>
            {Math.round(box.width)} × {Math.round(box.height)} px, {percent(lost)} of the picture lost.
          </p>
          <Button look="next" onClick={onCrop}>
            Crop to this
          </Button>
        </>
      )}
    </div>
  );
}

/** Healing brings pixels from elsewhere: asked once for each stack. */
export function HealControls({
  allowed,
  from,
  onAllow,
  onAgain,
}: {
  allowed: boolean;
  from: Point | null;
  onAllow: () => void;
  onAgain: () => void;
}) {
  if (!allowed)
    return (
      <Notice kind="hint" title="This is not evidence.">
        Healing lays pixels from another place over debris or a scratch. What it covers was not seen there: it
        is marked as such in the picture, in the mask and in the record, and a measure that crosses it says
        so.
        <Button className="mt-2" onClick={onAllow}>
          Heal in this stack all the same
        </Button>
      </Notice>
    );
  if (!from)
    return <p className="text-ink2">Click the place that pixels come from (Alt and click, later on).</p>;
  return (
    <div className="space-y-2">
      <p>Paint over what shall go: it is covered from the place in red.</p>
      <Button onClick={onAgain}>Take from another place</Button>
    </div>
  );
}
