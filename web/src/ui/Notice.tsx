import type { ReactNode } from "react";

interface Props {
  kind: "fault" | "hint";
  title?: string;
  children: ReactNode;
}

/** What is wrong or worth knowing, where, and what to do now. */
export function Notice({ kind, title, children }: Props) {
  const look = kind === "fault" ? "border-fault bg-fault-wash" : "border-amber bg-amber-wash";
  return (
    <div
      role={kind === "fault" ? "alert" : "note"}
      className={`border-l-4 px-3.5 py-2.5 text-[0.9375rem] ${look}`}
    >
      {title && <strong>{title} </strong>}
      {children}
    </div>
  );
}

/** What was refused or failed, each in its own words; nothing where nothing was. */
export function Failures({ of }: { of: ReadonlyArray<Error | null> }) {
  return of.map(
    (error) =>
      error && (
        <Notice key={error.message} kind="fault">
          {error.message}
        </Notice>
      ),
  );
}

/** A page's designed emptiness, waiting or failure. */
export function Placeholder({ children }: { children: ReactNode }) {
  return (
    <div className="grid h-full min-h-60 place-items-center p-6">
      <div className="max-w-md text-center text-ink2">{children}</div>
    </div>
  );
}
