import { type Bench, type Frame, type Growth, pictureUrl, type Take, type TestFrame } from "../../client/api";
import { fineShare, percent } from "../../lib/numbers";
import { FIT, FITTED, type View } from "./views";

/** Shares of the picture. A still specimen with steep slopes reads up to 1.2 % (tests/core/growing). */
const MOVED = 0.015;
const MAY_HAVE_MOVED = 0.004;

interface Props {
  view: View;
  take: Take | undefined;
  frame: Frame | null;
  growth: Growth | null;
  test: TestFrame | null;
  /** A test frame that was kept as before. */
  compared: Bench["diffuser"];
  settingUp: boolean;
  mine: boolean;
}

/** Anything but the live view: the growing picture, its depth, a frame, the test frame; or why there is none. */
export function Shown({ view, take, frame, growth, test, compared, settingUp, mine }: Props) {
  if (view === "frame" && frame)
    return <Picture alt={`Frame ${frame.name}`} src={pictureUrl("frame", frame.id, "preview.jpg")} />;
  if (view === "test" && test && compared?.compared)
    return (
      <div className="absolute inset-0 grid grid-cols-2 gap-1">
        <Side title="Before" glare={compared.compared.before.glare} shadow={compared.compared.before.shadow}>
          <TestPicture test={compared.before} which="before" />
        </Side>
        <Side title="After" glare={compared.compared.after.glare} shadow={compared.compared.after.shadow}>
          <TestPicture test={test} which="last" />
        </Side>
      </div>
    );
  if (view === "test" && test) return <TestPicture test={test} which="last" />;
  if ((view === "growing" || view === "depth") && take && growth) {
    const what = view === "growing" ? "picture" : "depth";
    return (
      <>
        <Picture
          alt={view === "growing" ? "Growing picture" : "Growing depth"}
          src={`/api/takes/${take.id}/growing/${what}.jpg?n=${growth.frames}`}
        />
        <p className="absolute bottom-2.5 left-3 rounded-s bg-card px-2.5 py-1 text-[0.9375rem]">
          {growth.frames} frames · {percent(growth.newest_share)} sharpest in the newest
          {growth.moved > MOVED ? (
            <span className="text-fault"> · {(100 * growth.moved).toFixed(1)} % has moved</span>
          ) : (
            growth.moved > MAY_HAVE_MOVED && <span> · a small place may have moved</span>
          )}
        </p>
      </>
    );
  }
  return (
    <p className="absolute inset-0 grid place-items-center px-8 text-center text-[#dfe4df]">
      {why(view, settingUp, mine)}
    </p>
  );
}

function why(view: View, settingUp: boolean, mine: boolean): string {
  if (view === "frame") return "No frame yet.";
  if (view === "test") return "No test frame yet: shoot one under Light.";
  if (view !== "live") return "The picture grows here while a ladder is shot.";
  if (settingUp) return "Setting the bench up …";
  if (!mine) return "The bench is set up for another stack.";
  return "This camera shows no live view. Its frames appear as they come into the watched folder.";
}

function Picture({ alt, src }: { alt: string; src: string }) {
  return <img alt={alt} src={src} className="absolute inset-0 size-full object-contain" />;
}

function Side({
  title,
  glare,
  shadow,
  children,
}: {
  title: string;
  glare: number;
  shadow: number;
  children: React.ReactNode;
}) {
  return (
    <figure className="relative min-h-0">
      {children}
      <figcaption className="absolute right-2 bottom-2.5 left-2 rounded-s bg-card px-2.5 py-1 text-[0.9375rem]">
        <span className="head">{title}</span> · glare {fineShare(glare)} · shadow {fineShare(shadow)}
      </figcaption>
    </figure>
  );
}

function TestPicture({ test, which }: { test: TestFrame; which: "last" | "before" }) {
  return (
    <div className="absolute inset-0 grid place-items-center [container-type:size]">
      <div className={FITTED} style={FIT}>
        <img
          alt={which === "last" ? "Test frame" : "Test frame before"}
          src={`/api/bench/light/${which}.jpg?n=${test.number}`}
          className="block size-full"
        />
        {test.reading.glare.map((spot) => (
          <span
            key={`${spot.x}-${spot.y}`}
            className="absolute border-2 border-[#ff8a80]"
            style={{
              left: `${100 * spot.x - 0.6}%`,
              top: `${100 * spot.y - 0.8}%`,
              width: `${100 * spot.width + 1.2}%`,
              height: `${100 * spot.height + 1.6}%`,
            }}
          />
        ))}
      </div>
    </div>
  );
}
