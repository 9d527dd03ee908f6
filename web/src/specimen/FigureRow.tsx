import { Popover } from "radix-ui";
import { digits, trimmed } from "../lib/numbers";

interface Input {
  symbol: string;
  label: string;
  value: number;
  unit: string;
  origin: string;
}

interface Props {
  label: string;
  /** The value with its unit, as it stands in the row. */
  value: string;
  formula: string;
  inputs: readonly Input[];
  source: string;
  note?: string | null;
}

/** A computed figure that opens to its formula, its inputs and where they came from. */
export function FigureRow({ label, value, formula, inputs, source, note }: Props) {
  return (
    <Popover.Root>
      <Popover.Trigger
        className="flex min-h-11 w-full items-center justify-between gap-3 border-rule border-b text-left hover:bg-rule/40"
        title="Show how it is computed"
      >
        <span className="text-ink2 decoration-dotted underline-offset-4 [button:hover_&]:underline">
          {label}
        </span>
        <span className="whitespace-nowrap">{value}</span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={`How ${label.toLowerCase()} is computed`}
          align="end"
          sideOffset={2}
          className="z-50 w-96 max-w-[95vw] rounded-s border border-ink bg-card p-4 text-[0.875rem]"
        >
          <p className="head text-[0.9375rem]">{label}</p>
          <p className="my-1.5 bg-sheet px-2 py-1.5">{formula}</p>
          <table className="w-full">
            <caption className="sr-only">Inputs</caption>
            <tbody>
              {inputs.map((input) => (
                <tr key={input.symbol} className="border-rule border-b">
                  <th scope="row" className="py-0.5 pr-2 text-left font-normal">
                    {input.symbol}
                  </th>
                  <td className="text-ink2">{input.label}</td>
                  <td className="whitespace-nowrap text-right">
                    {input.unit === "f/" ? "f/" : ""}
                    {trimmed(digits(input.value, 4))} {input.unit === "f/" ? "" : input.unit}
                  </td>
                  <td
                    className={`pl-2 text-right ${input.origin === "guessed" ? "text-fault" : "text-ink2"}`}
                  >
                    {input.origin}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {note && <p className="mt-2">{note}</p>}
          <p className="mt-2 text-[0.875rem] text-ink2">Source: {source}</p>
          <Popover.Arrow className="fill-ink" />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
