import { type Frame, pictureUrl, type TestFrame } from "../../client/api";
import { useHint } from "../../ui/commands";
import { Histogram } from "./Plots";
import { type Marks, VIEWS, type View } from "./views";

interface BadgesProps {
  view: View;
  rate: number;
  frame: Frame | null;
  run: { phase: string; wait_s: number } | null;
  edges: boolean;
}

/** What the picture shows, and what the run waits for. */
export function Badges({ view, rate, frame, run, edges }: BadgesProps) {
  const left =
    view === "live"
      ? `Live${edges ? ", edges in focus marked" : ""}${rate > 0 ? ` · ${rate.toFixed(0)} a second` : ""}`
      : view === "frame" && frame
        ? `${frame.name}${frame.left_out ? ` ${frame.left_out}` : frame.faults.length > 0 ? ` ${String(frame.faults[0]?.reason)}` : ""}`
        : null;
  const right =
    run && run.wait_s > 0.05
      ? `${run.wait_s.toFixed(1)} s ${run.phase === "recycle" ? "until the flash is ready" : "settle left"}`
      : null;
  return (
    <>
      {left && (
        <p className="head absolute top-2.5 left-3 max-w-[75%] rounded-s bg-card px-2.5 py-1 text-[0.9375rem]">
          {left}
        </p>
      )}
      {right && (
        <p className="head absolute top-2.5 right-3 rounded-s bg-card px-2.5 py-1 text-[0.9375rem] tabular-nums">
          {right}
        </p>
      )}
    </>
  );
}

interface TogglesProps {
  view: View;
  onView: (view: View) => void;
  marks: Marks;
  onMarks: (marks: Marks) => void;
  loupe: boolean;
  onLoupe: (on: boolean) => void;
}

/** What is shown, and what is marked on it. */
export function Toggles({ view, onView, marks, onMarks, loupe, onLoupe }: TogglesProps) {
  const hint = useHint();
  const look = (on: boolean) =>
    `head min-h-11 border-b-[3px] px-2.5 text-[0.9375rem] hover:text-ink ${on ? "border-amber-fill text-ink" : "border-transparent text-ink2"}`;
  return (
    <div className="flex shrink-0 flex-wrap justify-between border-ink border-t border-b bg-card px-2 small:order-2">
      <fieldset aria-label="What is shown" className="flex">
        {VIEWS.map((one) => (
          <button
            key={one.key}
            type="button"
            aria-pressed={view === one.key}
            className={look(view === one.key)}
            onClick={() => onView(one.key)}
          >
            {one.label}
          </button>
        ))}
      </fieldset>
      {view === "live" && (
        <fieldset aria-label="Marks" className="flex">
          {(["edges", "grid", "border"] as const).map((key) => (
            <button
              key={key}
              type="button"
              aria-pressed={marks[key]}
              className={look(marks[key])}
              onClick={() => onMarks({ ...marks, [key]: !marks[key] })}
              {...hint(key)}
            >
              {{ edges: "Edges", grid: "Grid", border: "Loose border" }[key]}
            </button>
          ))}
          <button
            type="button"
            aria-pressed={loupe}
            className={look(loupe)}
            onClick={() => onLoupe(!loupe)}
            {...hint("loupe")}
          >
            Loupe
          </button>
        </fieldset>
      )}
    </div>
  );
}

/** The histogram of the newest frame there is. */
export function Brightness({
  test,
  growth,
}: {
  test: TestFrame | null;
  growth: { histogram: number[] } | null;
}) {
  if (growth) return <Histogram counts={growth.histogram} title="Brightness of the last frame" />;
  if (!test)
    return <p className="self-center text-[0.9375rem] text-ink2">A test frame shows its brightness here.</p>;
  const [red, green, blue] = test.reading.histogram;
  const brightest = (red ?? []).map((count, i) => Math.max(count, green?.[i] ?? 0, blue?.[i] ?? 0));
  return <Histogram counts={brightest} title="Brightness of the test frame" />;
}

/** The latest frames, small, newest first. */
export function Thumbs({
  frames,
  chosen,
  onChoose,
}: {
  frames: Frame[];
  chosen: number | null;
  onChoose: (id: number) => void;
}) {
  if (frames.length === 0) return null;
  return (
    <ol
      aria-label="Latest frames"
      className="flex h-[58px] shrink-0 flex-row-reverse small:order-3 justify-end gap-1 overflow-hidden bg-card px-4 pb-2"
    >
      {frames.slice(-10).map((frame) => (
        <li key={frame.id}>
          <button
            type="button"
            aria-label={`Frame ${frame.name}`}
            aria-pressed={frame.id === chosen}
            className={`block h-[50px] border-2 ${frame.id === chosen ? "border-amber-fill" : frame.left_out || frame.faults.length > 0 ? "border-fault" : "border-transparent"}`}
            onClick={() => onChoose(frame.id)}
          >
            <img alt="" src={pictureUrl("frame", frame.id, "thumb.jpg")} className="h-full" />
          </button>
        </li>
      ))}
    </ol>
  );
}
