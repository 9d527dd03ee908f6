/** A figure of the light with its name. */
export function Row({
  label,
  fault = false,
  children,
}: {
  label: string;
  fault?: boolean;
  children: React.ReactNode;
}) {
  return (
    <div className="flex min-h-8 items-center justify-between gap-2 border-rule border-b">
      <span className="text-ink2">{label}</span>
      <span className={`whitespace-nowrap tabular-nums ${fault ? "text-fault" : ""}`}>{children}</span>
    </div>
  );
}

/** A part of the panel that is opened when it is wanted. */
export function More({
  title,
  open,
  children,
}: {
  title: string;
  open?: boolean;
  children: React.ReactNode;
}) {
  return (
    <details className="mt-1" open={open}>
      <summary className="min-h-9 cursor-pointer text-[0.9375rem] underline underline-offset-3">
        {title}
      </summary>
      {children}
    </details>
  );
}

export const stops = (value: number) => `${Math.abs(value).toFixed(1)} stops`;
