import { useEffect, useRef } from "react";
import type { Mend, Place } from "../../client/api";
import { digits, fineShare, plural, trimmed } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { drawTiles } from "./pixels";
import { PLACES, STATES } from "./steps";
import { mended } from "./tiles";

interface Props {
  mend: Mend;
  chosen: Place | null;
  onGo: (place: Place) => void;
  onJudge: (place: Place, state: Place["state"]) => void;
}

/** Places to look at, in the order of how much they matter, as small cuts of the picture. */
export function Places({ mend, chosen, onGo, onJudge }: Props) {
  const { places } = mend;
  const open = places.filter((one) => one.state === "open").length;
  return (
    <section
      aria-label="Places to look at"
      className="flex min-w-0 items-stretch gap-4 border-ink border-b bg-card px-4 py-2 small:flex-wrap"
    >
      <div className="w-40 shrink-0 text-[0.9375rem]">
        <h2 className="text-[1rem]">Places to look at</h2>
        <p className="text-ink2">
          {places.length === 0
            ? "The merge found none that can be mended."
            : `${open} of ${plural(places.length, "place")} open, ${fineShare(mend.places_share)} of the picture.`}
        </p>
      </div>
      <ul aria-label="Places" className="flex min-w-0 flex-1 gap-3 overflow-x-auto pb-1">
        {places.map((one) => (
          <li key={one.key} className="shrink-0">
            <button
              type="button"
              aria-pressed={one.key === chosen?.key}
              title={one.do}
              className="block rounded-s text-left aria-pressed:outline aria-pressed:outline-3 aria-pressed:outline-amber-fill"
              onClick={() => onGo(one)}
            >
              <Cut mend={mend} place={one} />
              <span className="block pt-0.5 text-[0.875rem]">
                {one.state === "open"
                  ? `${PLACES[one.kind] ?? one.kind}, ${trimmed(digits(one.size))} ${one.unit}`
                  : `${PLACES[one.kind] ?? one.kind}: ${STATES[one.state]}`}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {chosen && (
        <div className="flex shrink-0 items-start gap-2">
          <Button command="placeFine" onClick={() => onJudge(chosen, "fine")}>
            Fine as it is
          </Button>
          <Button onClick={() => onJudge(chosen, "left")}>Leave it</Button>
          <Button command="placeMended" onClick={() => onJudge(chosen, "mended")}>
            Mended, next
          </Button>
        </div>
      )}
    </section>
  );
}

const WIDTH = 92;
const HEIGHT = 58;

/** A part of the picture as it is mended now. */
function Cut({ mend, place }: { mend: Mend; place: Place }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    let shown = true;
    const draw = () => {
      const context = canvas.current?.getContext("2d");
      if (!context || !shown) return;
      const around = 1.5 * Math.max(place.width, (place.height * WIDTH) / HEIGHT, WIDTH / 2);
      const scale = WIDTH / around;
      const [x, y] = [place.x + place.width / 2, place.y + place.height / 2];
      const view = {
        x: WIDTH / 2 - x * scale,
        y: HEIGHT / 2 - y * scale,
        scale,
        width: WIDTH,
        height: HEIGHT,
      };
      drawTiles(context, mended(mend), view, draw);
    };
    draw();
    return () => {
      shown = false;
    };
  }, [mend, place]);
  return (
    <canvas
      ref={canvas}
      width={WIDTH}
      height={HEIGHT}
      className={`bg-mat ${place.state === "open" ? "" : "opacity-50"}`}
    />
  );
}
