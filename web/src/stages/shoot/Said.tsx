/** What went wrong during a take, one line each; nothing where nothing did. */
export function Said({ lines }: { lines: ReadonlyArray<string | null> }) {
  return lines.map(
    (line) =>
      line && (
        <p key={line} className="text-[0.9375rem] text-fault">
          {line}
        </p>
      ),
  );
}
