import { Progress } from "radix-ui";
import { duration } from "../lib/numbers";
import { Button } from "./Button";

interface Props {
  title: string;
  done: number;
  total: number;
  secondsLeft: number | null;
  onStop?: () => void;
  stopLabel?: string;
}

/** Long work: how far, how long still, and a stop. */
export function Work({ title, done, total, secondsLeft, onStop, stopLabel = "Stop" }: Props) {
  return (
    <div className="flex items-center gap-4">
      <div className="min-w-0 flex-1">
        <div className="flex justify-between gap-3">
          <strong>{title}</strong>
          <span className="text-ink2">
            {total > 0 && `${done} of ${total}`}
            {secondsLeft !== null && secondsLeft >= 0.5 && ` · about ${duration(secondsLeft)} left`}
          </span>
        </div>
        <Progress.Root
          aria-label={title}
          value={total > 0 ? done : null}
          max={Math.max(total, 1)}
          className="mt-1 h-2.5 overflow-hidden border border-ink2 bg-card"
        >
          <Progress.Indicator
            className="h-full bg-amber-fill"
            style={{ width: `${total > 0 ? (100 * done) / total : 0}%` }}
          />
        </Progress.Root>
      </div>
      {onStop && <Button onClick={onStop}>{stopLabel}</Button>}
    </div>
  );
}
