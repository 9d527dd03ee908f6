import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type FileNames, Refusal } from "../../client/api";
import { Button } from "../../ui/Button";
import { Notice } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";
import { TextFields } from "../../ui/TextFields";

const PARTS: ReadonlyArray<readonly [string, string]> = [
  ["{number}", "catalogue number"],
  ["{name}", "subject"],
  ["{kind}", "kind of specimen"],
  ["{rig}", "rig"],
  ["{stack}", "number of the stack"],
  ["{take}", "number of the take"],
  ["{run}", "way and run of the merge"],
  ["{date}", "day of shooting"],
];

/** How saved files are called, and a sheet to set that once for the station. */
export function FileNamesLine({ mergeId, stem }: { mergeId: number; stem: string }) {
  const names = useQuery({ queryKey: ["fileNames"], queryFn: api.fileNames });
  const [open, setOpen] = useState(false);
  return (
    <p className="mb-2 text-[0.875rem] text-ink2">
      {names.isError ? (
        names.error.message
      ) : (
        <>
          Names begin with <span className="break-all text-ink">{stem}</span>.
        </>
      )}{" "}
      <button type="button" className="min-h-6 underline underline-offset-3" onClick={() => setOpen(true)}>
        Names and web address
      </button>
      <Panel
        title="Names of files, for all that leaves this station"
        open={open}
        onClose={() => setOpen(false)}
      >
        {names.data && <Entries mergeId={mergeId} names={names.data} onDone={() => setOpen(false)} />}
      </Panel>
    </p>
  );
}

function Entries({ mergeId, names, onDone }: { mergeId: number; names: FileNames; onDone: () => void }) {
  const queries = useQueryClient();
  const [entry, setEntry] = useState(names);
  const example = useQuery({
    queryKey: ["called", mergeId, entry],
    queryFn: () => api.called(mergeId, entry),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const save = useMutation({
    mutationFn: () => api.setFileNames(entry),
    onSuccess: (now) => {
      queries.setQueryData(["fileNames"], now);
      void queries.invalidateQueries({ queryKey: ["label"] });
      onDone();
    },
  });
  const refusal = [save.error, example.error].find((one) => one instanceof Refusal) ?? null;
  const told = refusal ? undefined : example.data;
  return (
    <form
      noValidate
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <TextFields
        fields={FIELDS}
        entry={entry}
        refusal={refusal}
        onChange={(key, value) => {
          save.reset();
          setEntry({ ...entry, [key]: value });
        }}
      />
      <h3 className="mt-3">This merge would be called</h3>
      {refusal && <p className="text-ink2">It is shown once what is marked above is put right.</p>}
      <dl aria-label="This merge would be called" className="min-h-20 text-[0.9375rem]">
        {told &&
          [
            ["Picture", told.picture],
            ["Package", told.package],
            ["On the web", told.manifest ?? "not set"],
          ].map(([head, words]) => (
            <div key={head} className="flex justify-between gap-4 border-rule border-b py-1">
              <dt className="shrink-0 text-ink2">{head}</dt>
              <dd className="break-all text-right">{words}</dd>
            </div>
          ))}
      </dl>
      {told && told.alike.length > 0 && (
        <Notice kind="hint">
          Files of different {told.alike.join(", of different ")} would be called the same: the browser
          numbers them.
        </Notice>
      )}
      <h3 className="mt-3">Parts</h3>
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 text-[0.9375rem]">
        {PARTS.map(([part, words]) => (
          <div key={part} className="col-span-2 grid grid-cols-subgrid border-rule border-b py-1">
            <dt>
              <code>{part}</code>
            </dt>
            <dd className="text-ink2">{words}</dd>
          </div>
        ))}
      </dl>
      <div className="mt-4">
        <Button type="submit" look="next" disabled={save.isPending}>
          Set the names
        </Button>
      </div>
    </form>
  );
}

const FIELDS: ReadonlyArray<readonly [keyof FileNames, string, string]> = [
  ["files", "Files", "Letters, digits, - and _, with parts in braces; {number} must be one of them."],
  ["folders", "Folders", "Of packages and of pictures for a web site, as they unpack."],
  ["web_address", "Web address", "As in https://pictures.tarnhollow.example: where pictures are given out."],
];
