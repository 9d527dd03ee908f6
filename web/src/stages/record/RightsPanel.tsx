import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, Refusal, type Rights } from "../../client/api";
import { Button } from "../../ui/Button";
import { Panel } from "../../ui/Panel";
import { TextFields } from "../../ui/TextFields";

const ENTRIES: ReadonlyArray<readonly [keyof Rights, string, string?]> = [
  ["photographer", "Photographer", "Where nothing else is known; the history tells who shot each take."],
  ["rights_holder", "Rights holder"],
  ["licence", "Licence", "As in CC BY 4.0, or an address"],
  ["institution", "Institution", "Its name or code, for a collection's database"],
];

/** Whose pictures leave this station: in one line, and a sheet to set it, once for all of them. */
export function RightsLine() {
  const rights = useQuery({ queryKey: ["rights"], queryFn: api.rights });
  const [open, setOpen] = useState(false);
  const said = rights.data && [rights.data.photographer, rights.data.rights_holder, rights.data.licence];
  return (
    <div className="flex justify-between gap-6 border-rule border-b py-1.5">
      <span className="shrink-0 text-ink2">Rights</span>
      <span className="text-right">
        {rights.isError ? rights.error.message : said?.filter(Boolean).join(", ") || "not set"}{" "}
        <button type="button" className="min-h-6 underline underline-offset-3" onClick={() => setOpen(true)}>
          Set for the station
        </button>
      </span>
      <Panel title="Rights, for all that leaves this station" open={open} onClose={() => setOpen(false)}>
        {rights.data && <Entries rights={rights.data} onDone={() => setOpen(false)} />}
      </Panel>
    </div>
  );
}

function Entries({ rights, onDone }: { rights: Rights; onDone: () => void }) {
  const queries = useQueryClient();
  const [entry, setEntry] = useState(rights);
  const save = useMutation({
    mutationFn: () => api.setRights(entry),
    onSuccess: (now) => {
      queries.setQueryData(["rights"], now);
      onDone();
    },
  });
  const refusal = save.error instanceof Refusal ? save.error : null;
  return (
    <form
      noValidate
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <TextFields
        fields={ENTRIES}
        entry={entry}
        refusal={refusal}
        onChange={(key, value) => setEntry({ ...entry, [key]: value })}
      />
      <div className="mt-4">
        <Button type="submit" look="next" disabled={save.isPending}>
          Set the rights
        </Button>
      </div>
    </form>
  );
}
