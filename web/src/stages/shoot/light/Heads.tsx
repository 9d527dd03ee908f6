import { api, type Bench } from "../../../client/api";
import { percent } from "../../../lib/numbers";
import { Button } from "../../../ui/Button";
import { More, Row, stops } from "./Row";

interface Props {
  bench: Bench;
  locked: boolean;
  act: (order: () => Promise<unknown>) => void;
}

const EVEN = 1 / 6; // stops: half of what a flash can be set by

/** Two flash heads, each fired alone, and what would make them even. */
export function Heads({ bench, locked, act }: Props) {
  const { flash, balance } = bench;
  const names = Object.keys(flash?.heads ?? {});
  if (!flash || names.length !== 2) return null;
  const apart = balance?.brighter_stops ?? null;
  const stronger = balance && apart !== null ? (apart > 0 ? balance.first : balance.second) : "";
  return (
    <More title="Balance of the flash heads">
      {names.map((name) => (
        <Row key={name} label={`The ${name} one gives`}>
          {percent(flash.heads[name] ?? 0)}
        </Row>
      ))}
      {balance && (
        <p className="py-1 text-[0.9375rem]">
          {apart === null
            ? "Too little of the specimen tells: shoot where more of it is lit, and nothing is washed out."
            : Math.abs(apart) < EVEN
              ? "They are even on this specimen."
              : `The ${stronger} one is ${stops(apart)} brighter on this specimen.`}
        </p>
      )}
      <div className="grid grid-cols-2 gap-2">
        <Button disabled={locked} onClick={() => act(api.weighHeads)}>
          Fire each alone
        </Button>
        <Button
          disabled={locked || !balance || apart === null || Math.abs(apart) < EVEN}
          onClick={() => balance && act(() => api.setFlash({ heads: balance.even }))}
        >
          Make them even
        </Button>
      </div>
    </More>
  );
}
