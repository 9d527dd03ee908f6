import { TextField } from "./Field";
import { Notice } from "./Notice";

interface Props<K extends string> {
  /** Key, label, and what helps to fill it in. */
  fields: ReadonlyArray<readonly [K, string, string?]>;
  entry: Partial<Record<K, string>>;
  onChange: (key: K, value: string) => void;
  /** What was refused: at which entries, or else all of it. */
  refusal: {
    message: string;
    fields: ReadonlyArray<unknown>;
    at: (field: string) => string | undefined;
  } | null;
}

/** Lines of text one below the other, each with what is wrong with it. */
export function TextFields<K extends string>({ fields, entry, onChange, refusal }: Props<K>) {
  return (
    <>
      {fields.map(([key, label, hint]) => (
        <TextField
          key={key}
          label={label}
          hint={hint}
          value={entry[key] ?? ""}
          onChange={(value) => onChange(key, value)}
          problem={refusal?.at(key)}
        />
      ))}
      {refusal && refusal.fields.length === 0 && <Notice kind="fault">{refusal.message}</Notice>}
    </>
  );
}
