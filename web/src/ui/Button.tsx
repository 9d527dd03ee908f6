import type { ComponentProps } from "react";
import type { CommandId } from "../lib/commands";
import { useHint } from "./commands";

type Look = "next" | "plain" | "quiet";

const LOOKS: Record<Look, string> = {
  next: "bg-amber-fill text-on-amber border-amber hover:brightness-95",
  plain: "bg-card text-ink border-ink hover:bg-rule/50",
  quiet: "bg-transparent text-ink2 border-transparent underline underline-offset-3 hover:text-ink",
};

interface Props extends ComponentProps<"button"> {
  look?: Look;
  /** The command that it does: its hint names the key. */
  command?: CommandId;
}

/** A button; `next` is the one next action of a stage. */
export function Button({ look = "plain", className = "", type = "button", command, ...rest }: Props) {
  const hint = useHint();
  return (
    <button
      type={type}
      className={`head inline-flex min-h-11 items-center justify-center gap-2 rounded-s border px-4 text-[0.9375rem] disabled:cursor-not-allowed disabled:opacity-50 ${LOOKS[look]} ${className}`}
      {...(command && hint(command))}
      {...rest}
    />
  );
}
