import { plural } from "../lib/numbers";
import { Notice } from "./Notice";

/** Files that were not taken, each with its reason. */
export function Rejected({ files }: { files: ReadonlyArray<{ name: string; reason: string }> }) {
  if (files.length === 0) return null;
  return (
    <Notice kind="fault" title={`${plural(files.length, "file")} not taken.`}>
      <ul>
        {files.map((one) => (
          <li key={one.name}>
            <strong>{one.name}</strong> {one.reason}
          </li>
        ))}
      </ul>
    </Notice>
  );
}
