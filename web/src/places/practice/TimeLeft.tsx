import { useEffect, useState } from "react";
import { duration } from "../../lib/numbers";

/** A trainer's limit. What comes later counts all the same, and is said to be late. */
export function TimeLeft({ begun, limit_s }: { begun: string; limit_s: number }) {
  const ends = new Date(begun).getTime() + 1000 * limit_s;
  const [left, setLeft] = useState(() => ends - Date.now());
  useEffect(() => {
    const timer = setInterval(() => setLeft(ends - Date.now()), 500);
    return () => clearInterval(timer);
  }, [ends]);
  return (
    <div className="flex gap-2" role="timer">
      <dt className="text-ink2">Time</dt>
      <dd className={`head ${left <= 0 ? "text-fault" : ""}`}>
        {left > 0 ? `${duration(left / 1000)} left` : "over: answer all the same"}
      </dd>
    </div>
  );
}
