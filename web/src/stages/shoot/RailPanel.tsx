import { api, type Bench } from "../../client/api";
import type { CommandId } from "../../lib/commands";
import { um } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { useHint } from "../../ui/commands";
import { Notice } from "../../ui/Notice";
import type { Moment } from "./live";

interface Props {
  bench: Bench;
  moment: Moment | null;
  step: number;
  locked: boolean;
  act: (order: () => Promise<unknown>) => void;
  hold: Holding;
}

interface Holding {
  press: (to_um: number) => void;
  release: () => void;
}

const NEARER: readonly CommandId[] = ["nearer1", "nearer10", "nearer100"];
const FARTHER: readonly CommandId[] = ["farther1", "farther10", "farther100"];
/** The distances that the rail can do, from the coarsest nearer to the coarsest farther. */
const jogs = (distances: readonly number[]) => [
  ...distances.map((by, i) => [-by, NEARER[i] as CommandId] as const).reverse(),
  ...distances.map((by, i) => [by, FARTHER[i] as CommandId] as const),
];
const sign = (by: number) => (by < 0 ? `−${-by}` : `+${by}`);

/** Where the rail is, and moving it: by a distance, while a button is held, or to a place. */
export function RailPanel({ bench, moment, step, locked, act, hold }: Props) {
  const { rail } = bench;
  const at = moment?.position_um ?? rail.position_um ?? null;
  const free =
    rail.free_um !== null && rail.position_um !== null && at !== null
      ? rail.free_um - (at - rail.position_um)
      : null;
  return (
    <section aria-label="Rail" className="space-y-1.5">
      <div className="flex items-baseline justify-between">
        <h2 className="text-[1rem]">Rail</h2>
        <span className="text-[0.9375rem] text-ink2">
          {moment?.moving ? "moving" : bench.simulated ? "simulated" : rail.address}
        </span>
      </div>
      {at === null ? (
        <Notice kind="fault" title="The rail does not answer.">
          {rail.trouble}
          {rail.trouble_since && ` Since ${new Date(rail.trouble_since).toLocaleTimeString("en-GB")}.`}
          <Button className="mt-2 w-full" onClick={() => act(api.connectRail)}>
            Connect again
          </Button>
        </Notice>
      ) : (
        <>
          <p className="head text-[1.875rem] leading-none tabular-nums" data-testid="position">
            {(at / 1000).toFixed(3)} <span className="font-[450] text-[1rem] text-ink2">mm</span>
          </p>
          <p className="text-[0.9375rem] text-ink2">
            {free === null
              ? "Working distance not known: watch the lens."
              : `${(free / 1000).toFixed(2)} mm free before the specimen`}
          </p>
          <fieldset aria-label="Move by µm" className="flex gap-1">
            {jogs(rail.jogs_um).map(([by, command]) => (
              <Jog
                key={by}
                command={command}
                label={`Move by ${sign(by)} µm`}
                disabled={locked}
                onClick={() => act(() => api.move({ by_um: by }))}
              >
                {sign(by)}
              </Jog>
            ))}
          </fieldset>
          <div className="grid grid-cols-4 gap-1">
            <Hold command="runNearer" to={rail.lowest_um} locked={locked} hold={hold}>
              Hold nearer
            </Hold>
            <Jog
              command="stepNearer"
              label={`− step, ${um(step)} nearer`}
              disabled={locked}
              onClick={() => act(() => api.move({ by_um: -step }))}
            >
              − step
            </Jog>
            <Jog
              command="stepFarther"
              label={`+ step, ${um(step)} farther`}
              disabled={locked}
              onClick={() => act(() => api.move({ by_um: step }))}
            >
              + step
            </Jog>
            <Hold command="runFarther" to={rail.highest_um} locked={locked} hold={hold}>
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
              command="park"
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
  command?: CommandId;
  disabled: boolean;
  onClick: () => void;
  children: React.ReactNode;
}

function Jog({ label, command, disabled, onClick, children }: JogProps) {
  const hint = useHint();
  return (
    <button
      type="button"
      aria-label={label}
      {...(command ? hint(command, label) : { title: label })}
      disabled={disabled}
      className="head min-h-11 min-w-0 flex-1 rounded-s border border-ink2 px-0.5 text-[0.9375rem] hover:bg-rule/50 disabled:opacity-50"
      onClick={onClick}
    >
      {children}
    </button>
  );
}

interface HoldProps {
  command: CommandId;
  to: number | null;
  locked: boolean;
  hold: Holding;
  children: React.ReactNode;
}

/** Runs while it is pressed, by pointer or by the space bar. */
function Hold({ command, to, locked, hold, children }: HoldProps) {
  const hint = useHint();
  const run = () => to !== null && hold.press(to);
  const rest = hold.release;
  return (
    <button
      type="button"
      disabled={locked || to === null}
      {...hint(command, to === null ? "The end of the rail is not known" : "Runs as long as it is held")}
      className="head min-h-11 touch-none rounded-s border border-ink2 px-0.5 text-[0.9375rem] leading-tight hover:bg-rule/50 disabled:opacity-50"
      onPointerDown={run}
      onPointerUp={rest}
      onPointerLeave={rest}
      onPointerCancel={rest}
      onKeyDown={(event) => event.key === " " && run()}
      onKeyUp={rest}
      onBlur={rest}
    >
      {children}
    </button>
  );
}
