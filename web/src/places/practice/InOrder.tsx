import { Button } from "../../ui/Button";

interface Props {
  label: string;
  options: readonly string[];
  order: readonly number[];
  onChange: (order: number[]) => void;
}

/** Things put into an order, each moved up or down. */
export function InOrder({ label, options, order, onChange }: Props) {
  const moved = (from: number, to: number) => {
    const next = [...order];
    next.splice(to, 0, ...next.splice(from, 1));
    onChange(next);
  };
  return (
    <div className="py-2">
      <p>{label}</p>
      <ol aria-label={label}>
        {order.map((key, place) => (
          <li key={key} className="flex items-center gap-2 border-rule border-b py-1.5">
            <span className="w-6 shrink-0 text-ink2">{place + 1}</span>
            <span className="min-w-0 flex-1">{options[key]}</span>
            <Button
              className="px-2.5"
              aria-label={`${options[key]} earlier`}
              disabled={place === 0}
              onClick={() => moved(place, place - 1)}
            >
              Up
            </Button>
            <Button
              className="px-2.5"
              aria-label={`${options[key]} later`}
              disabled={place === order.length - 1}
              onClick={() => moved(place, place + 1)}
            >
              Down
            </Button>
          </li>
        ))}
      </ol>
    </div>
  );
}
