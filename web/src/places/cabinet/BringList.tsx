import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type SpecimenList } from "../../client/api";
import { plural } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/Field";
import { FileButton } from "../../ui/FileButton";
import { Notice } from "../../ui/Notice";

const WORDS: Record<string, string> = {
  "": "not brought in",
  catalogue_number: "catalogue number",
  name: "name",
  medium: "lies in",
  medium_index: "refractive index",
  latitude: "latitude, °",
  longitude: "longitude, °",
  place_within_m: "place is true to, m",
  collected_on: "collected on",
  determination: "determined as",
  determined_by: "determined by",
  determined_on: "determined on",
  width_mm: "width, mm",
  height_mm: "height, mm",
  depth_mm: "depth, mm",
};

/** Specimens from a list: its columns matched, each line tried, and the good ones brought in together. */
export function BringList({ onDone }: { onDone: () => void }) {
  const queries = useQueryClient();
  const [file, setFile] = useState<File | null>(null);
  const [kind, setKind] = useState("");
  const tried = useMutation({
    mutationFn: (asked: { file: File; kind: string; entries?: string[] }) =>
      api.trySpecimenList(asked.file, asked.kind, asked.entries),
  });
  const bring = useMutation({
    mutationFn: (asked: { file: File; entries: string[] }) =>
      api.bringSpecimenList(asked.file, kind, asked.entries),
    onSuccess: () => void queries.invalidateQueries(),
  });
  const list = bring.data ?? tried.data;
  const entries = list?.columns.map((one) => one.entry) ?? [];
  const again = (change: { kind?: string; entries?: string[] }) => {
    bring.reset();
    if (file) tried.mutate({ file, kind, entries, ...change });
  };
  const fault = bring.error ?? tried.error;
  return (
    <>
      <p className="text-ink2">
        CSV as spreadsheets save it, or a Darwin Core archive. Its first line names the columns. Nothing is
        brought in before you say so.
      </p>
      <div className="mt-2 flex items-center gap-3">
        <FileButton
          label="A list of specimens"
          accept=".csv,.tsv,.txt,.zip"
          look={list ? "plain" : "next"}
          onFiles={([one]) => {
            if (!one) return;
            setFile(one);
            bring.reset();
            tried.mutate({ file: one, kind });
          }}
        >
          {file ? "Another list" : "Choose the list"}
        </FileButton>
        {file && <span>{file.name}</span>}
      </div>
      {fault && <Notice kind="fault">{fault.message}</Notice>}
      {list && !fault && (
        <>
          <TextField
            label="Kind, for lines that name none"
            value={kind}
            onChange={(now) => {
              setKind(now);
              again({ kind: now });
            }}
          />
          <Matched list={list} onMatch={(now) => again({ entries: now })} />
          {bring.data ? (
            <Notice kind="hint" title={`${plural(bring.data.brought, "specimen")} brought in.`}>
              Undone in one step, as long as nothing was made of them.
            </Notice>
          ) : (
            <p role="status" className="mt-3">
              <strong>{list.good}</strong> of {plural(list.lines, "line")} can be brought in
              {list.there > 0 && `, ${list.there} are in the cabinet already`}
              {list.faults.length > 0 && `, ${list.faults.length + list.more_faults} faults`}.
            </p>
          )}
          {list.faults.length > 0 && (
            <ul aria-label="Faults" className="mt-1 max-h-56 overflow-y-auto">
              {list.faults.map((one) => (
                <li key={`${one.line} ${one.column} ${one.reason}`} className="border-rule border-b py-1">
                  Line {one.line}, <strong>{one.column}</strong>: {one.reason}
                </li>
              ))}
              {list.more_faults > 0 && <li>and {list.more_faults} more</li>}
            </ul>
          )}
          <div className="mt-4 flex gap-3">
            {bring.data ? (
              <Button look="next" onClick={onDone}>
                To the cabinet
              </Button>
            ) : (
              <Button
                look="next"
                disabled={list.good === 0 || bring.isPending || tried.isPending}
                onClick={() => file && bring.mutate({ file, entries })}
              >
                Bring in {plural(list.good, "specimen")}
              </Button>
            )}
          </div>
        </>
      )}
    </>
  );
}

function Matched({ list, onMatch }: { list: SpecimenList; onMatch: (entries: string[]) => void }) {
  return (
    <table className="mt-2 w-full text-[0.9375rem]">
      <thead>
        <tr className="text-left text-ink2">
          <th className="py-1 font-normal">Column</th>
          <th className="font-normal">For example</th>
          <th className="font-normal">Is on the label</th>
        </tr>
      </thead>
      <tbody>
        {list.columns.map((column, place) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: two columns may have the same head.
          <tr key={place} className="border-rule border-t">
            <td className="py-1 pr-3">{column.head}</td>
            <td className="max-w-60 truncate pr-3 text-ink2">{column.example}</td>
            <td>
              <select
                aria-label={`${column.head} is`}
                className="min-h-9 w-full border border-ink2 bg-card px-1"
                value={column.entry}
                onChange={({ target }) =>
                  onMatch(
                    list.columns.map((one, other) =>
                      // What it is now, no other column is any more.
                      other === place ? target.value : one.entry === target.value ? "" : one.entry,
                    ),
                  )
                }
              >
                {["", ...list.entries].map((one) => (
                  <option key={one} value={one}>
                    {WORDS[one] ?? one}
                  </option>
                ))}
              </select>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
