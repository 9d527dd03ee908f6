import type { Exercise, ExerciseVerdict } from "../../client/api";
import { digits, percent, trimmed } from "../../lib/numbers";

/** How good an answer was: its figures beside the program's own and the best possible, and why. */
export function VerdictPanel({ exercise, verdict }: { exercise: Exercise; verdict: ExerciseVerdict }) {
  const figure = (value: number | null, unit: string) =>
    value === null ? "" : `${trimmed(digits(value, 3))}${unit ? ` ${unit}` : ""}`;
  return (
    <section aria-label="Verdict">
      <p className="text-ink2">Of what could be reached</p>
      <p role="status" className="head text-[2.75rem] leading-none tabular-nums">
        {percent(verdict.score)}
      </p>
      {exercise.late && <p className="text-fault">After the time was over.</p>}
      <table className="mt-3 w-full text-[0.9375rem]">
        <thead>
          <tr className="border-rule border-b text-right text-[0.875rem] text-ink2">
            <th className="py-1 text-left">Figure</th>
            <th>yours</th>
            <th>the program</th>
            <th>best</th>
          </tr>
        </thead>
        <tbody>
          {verdict.figures.map((one) => (
            <tr key={one.name} className="border-rule border-b text-right tabular-nums">
              <th className="py-1.5 text-left font-normal text-ink2">{one.name}</th>
              <td className="head">{figure(one.yours, one.unit)}</td>
              <td>{figure(one.programs, one.unit)}</td>
              <td>{figure(one.best, one.unit)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <h2 className="mt-4 text-[1rem]">Why</h2>
      <ul className="list-disc pl-5">
        {verdict.why.map((one) => (
          <li key={one} className="py-0.5">
            {one}
          </li>
        ))}
      </ul>
    </section>
  );
}
