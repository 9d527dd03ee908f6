import { Link } from "@tanstack/react-router";
import { useEffect, useRef } from "react";
import type { Card, CardStack } from "../../client/api";
import { plural } from "../../lib/numbers";
import { ordinal, thinnable } from "./card";
import { SmallLadder } from "./SmallLadder";

interface Props {
  card: Card;
  chosen: CardStack | undefined;
  onChoose: (stack: CardStack) => void;
}

/** The stacks that a card becomes, side by side; what is in doubt stands in front of what was accepted. */
export function Ladders({ card, chosen, onChoose }: Props) {
  const row = useRef<HTMLUListElement>(null);
  const first = chosen?.first;
  useEffect(() => {
    row.current
      ?.querySelector(`[data-stack="${first}"]`)
      ?.scrollIntoView({ block: "nearest", inline: "nearest" });
  }, [first]);
  return (
    <ul
      ref={row}
      aria-label="Stacks of this card"
      className="flex gap-3 overflow-x-auto border-rule border-b px-5 pt-1 pb-3"
    >
      {card.stacks.map((stack, number) => (
        <li key={stack.first} data-stack={stack.first} className="shrink-0">
          <button
            type="button"
            aria-pressed={stack.first === first}
            className={`flex h-[152px] w-[300px] gap-3 rounded-s border bg-card p-3 text-left hover:border-ink ${
              stack.first === first ? "border-2 border-amber p-[11px]" : "border-rule"
            } ${stack.accepted ? "opacity-70" : ""}`}
            onClick={() => onChoose(stack)}
          >
            <SmallLadder stack={stack} />
            <span className="min-w-0 flex-1 leading-snug">
              <span className="head line-clamp-2 text-[0.9375rem]">
                {stack.goes?.label ?? `Stack ${number + 1}, goes nowhere yet`}
              </span>
              <span className="block text-[0.875rem] text-ink2">{facts(stack)}</span>
              <span className={`head line-clamp-2 text-[0.875rem] ${stateLook(stack)}`}>{state(stack)}</span>
            </span>
          </button>
          {stack.accepted && (
            <Link
              className="sr-only focus:not-sr-only"
              to="/stacks/$stackId/$stage"
              params={{ stackId: String(stack.accepted.stack_id), stage: "merge" }}
              search={{ take: stack.accepted.take_id }}
            >
              To {stack.accepted.label}
            </Link>
          )}
        </li>
      ))}
    </ul>
  );
}

function facts(stack: CardStack): string {
  const kept = stack.files.length - stack.left_out.length;
  const order = stack.by_hand
    ? "rocked by hand"
    : { "near-first": "near first", "far-first": "far first", unknown: "order unknown" }[stack.order];
  const left = stack.left_out.length > 0 ? `, ${stack.left_out.length} left out` : "";
  const fewer = thinnable(stack);
  const thin = fewer
    ? `, every ${ordinal(fewer.every)} would do (${fewer.worst_blur_px.toFixed(1)} px of blur)`
    : "";
  return `${plural(kept, "frame")}${left}, ${order}${thin}`;
}

function state(stack: CardStack): string {
  if (stack.accepted) return `is ${stack.accepted.label}`;
  const doubt = stack.doubts[0];
  if (doubt)
    return stack.doubts.length === 1
      ? `look: ${doubt.words}`
      : `${stack.doubts.length} doubts: ${doubt.words}`;
  return "nothing in doubt";
}

const stateLook = (stack: CardStack) =>
  stack.accepted ? "text-ink2" : stack.doubts.length > 0 ? "text-fault" : "text-mark";
