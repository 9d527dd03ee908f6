import { plural } from "../lib/numbers";
import { Notice } from "./Notice";

const SHOWN = 12;

/** Files that were not taken, each with its reason. */
export function Rejected({ files }: { files: ReadonlyArray<{ name: string; reason: string }> }) {
  if (files.length === 0) return null;
  return (
    <Notice kind="fault" title={`${plural(files.length, "file")} not taken.`}>
      <ul>
        {files.slice(0, SHOWN).map((one) => (
          <li key={one.name}>
            <strong>{one.name}</strong> {one.reason}
          </li>
        ))}
        {files.length > SHOWN && <li>and {files.length - SHOWN} more</li>}
      </ul>
    </Notice>
  );
}
