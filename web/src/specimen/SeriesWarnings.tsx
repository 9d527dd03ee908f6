import type { Take } from "../client/api";
import { Notice } from "../ui/Notice";

/** What is to be said of where a take's frames lie. */
export function SeriesWarnings({ take }: { take: Take }) {
  return take.series.warnings.map((warning) => (
    <Notice key={warning} kind="hint">
      {warning}
    </Notice>
  ));
}
