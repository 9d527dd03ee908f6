import { useRef } from "react";
import { api, type Bench } from "../../client/api";
import { um } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Notice } from "../../ui/Notice";
import type { Moment } from "./live";

interface Props {
  bench: Bench;
  moment: Moment | null;
  step: number;
  locked: boolean;
  act: (order: () => Promise<unknown>) => void;
}

const JOGS = [-100, -10, -1, 1, 10, 100] as const;
const sign = (by: number) => (by < 0 ? `−${-by}` : `+${by}`);

/** Where the rail is, and moving it: by a distance, while a button is held, or to a place. */
export function RailPanel({ bench, moment, step, locked, act }: Props) {
  const { rail } = bench;
  const at = moment?.position_um ?? rail.position_um ?? null;
  const free =
    rail.free_um !== null && rail.position_um !== null && at !== null
      ? rail.free_um - (at - rail.position_um)
      : null;
  return (
    <section aria-label="Rail" className="space-y-1.5">
      <div className="flex items-baseline justify-between">
        <h2 className="text-[16px]">Rail</h2>
        <span className="text-[13px] text-ink2">
          {moment?.moving ? "moving" : bench.simulated ? "simulated" : rail.address}
        </span>
      </div>
      {at === null ? (
        <Notice kind="fault" title="The rail does not answer.">
          {rail.trouble}
          <Button className="mt-2 w-full" onClick={() => act(api.connectRail)}>
            Connect again
          </Button>
        </Notice>
      ) : (
        <>
          <p className="head text-[30px] leading-none tabular-nums" data-testid="position">
            {(at / 1000).toFixed(3)} <span className="font-[450] text-[16px] text-ink2">mm</span>
          </p>
          <p className="text-[13px] text-ink2">
            {free === null
              ? "Working distance not known: watch the lens."
              : `${(free / 1000).toFixed(2)} mm free before the specimen`}
          </p>
          <fieldset aria-label="Move by µm" className="grid grid-cols-6 gap-1">
            {JOGS.map((by) => (
              <Jog
                key={by}
                label={`Move by ${sign(by)} µm`}
                disabled={locked}
                onClick={() => act(() => api.move({ by_um: by }))}
              >
                {sign(by)}
              </Jog>
            ))}
          </fieldset>
          <div className="grid grid-cols-4 gap-1">
            <Hold to={rail.lowest_um} locked={locked} act={act}>
              Hold nearer
            </Hold>
            <Jog
              label={`− step, ${um(step)} nearer`}
              disabled={locked}
              onClick={() => act(() => api.move({ by_um: -step }))}
            >
              − step
            </Jog>
            <Jog
              label={`+ step, ${um(step)} farther`}
              disabled={locked}
              onClick={() => act(() => api.move({ by_um: step }))}
            >
              + step
            </Jog>
            <Hold to={rail.highest_um} locked={locked} act={act}>
              Hold farther
            </Hold>
          </div>
          <div className="grid grid-cols-3 gap-1">
            {(["near", "far"] as const).map((place) => (
              <Jog
                key={place}
                label={`To ${place} point`}
                disabled={locked}
                onClick={() => act(() => api.move({ place }))}
              >
                {place === "near" ? "To near" : "To far"}
              </Jog>
            ))}
            <Jog
              label="Back off to the rail's end, away from the specimen, before an objective is changed"
              disabled={locked}
              onClick={() => act(() => api.move({ place: "park" }))}
            >
              Back off
            </Jog>
          </div>
        </>
      )}
    </section>
  );
}

interface JogProps {
  label: string;
  disabled: boolean;
  onClick: () => void;
  children: React.ReactNode;
}

function Jog({ label, disabled, onClick, children }: JogProps) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      disabled={disabled}
      className="head min-h-11 rounded-s border border-ink2 px-0.5 text-[13.5px] hover:bg-rule/50 disabled:opacity-50"
      onClick={onClick}
    >
      {children}
    </button>
  );
}

interface HoldProps {
  to: number | null;
  locked: boolean;
  act: (order: () => Promise<unknown>) => void;
  children: React.ReactNode;
}

/** Runs while it is pressed, by pointer or by the space bar. */
function Hold({ to, locked, act, children }: HoldProps) {
  const running = useRef(false);
  const run = () => {
    if (to === null || running.current) return;
    running.current = true;
    act(() => api.move({ to_um: to }));
  };
  const rest = () => {
    if (!running.current) return;
    running.current = false;
    act(api.halt);
  };
  return (
    <button
      type="button"
      disabled={locked || to === null}
      title={to === null ? "The end of the rail is not known" : "Runs as long as it is held"}
      className="head min-h-11 touch-none rounded-s border border-ink2 px-0.5 text-[13px] leading-tight hover:bg-rule/50 disabled:opacity-50"
      onPointerDown={run}
      onPointerUp={rest}
      onPointerLeave={rest}
      onKeyDown={(event) => event.key === " " && run()}
      onKeyUp={rest}
      onBlur={rest}
    >
      {children}
    </button>
  );
}
