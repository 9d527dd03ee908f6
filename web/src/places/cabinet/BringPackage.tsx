import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type PackageTried } from "../../client/api";
import { bytes, plural } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/Field";
import { FileButton } from "../../ui/FileButton";
import { Notice } from "../../ui/Notice";
import { OneOf } from "../../ui/OneOf";

/** A stack that another station packed: gone through, told, and brought in whole. */
export function BringPackage() {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [way, setWay] = useState<"join" | "rename">("join");
  const [number, setNumber] = useState("");
  const tried = useMutation({ mutationFn: (file: File) => api.tryPackage(file) });
  const bring = useMutation({
    mutationFn: (told: PackageTried) =>
      api.bringPackage(told.key, {
        join: told.specimen_there !== null && way === "join",
        catalogue_number: told.specimen_there !== null && way === "rename" ? number : null,
      }),
    onSuccess: () => void queries.invalidateQueries(),
  });
  const told = tried.data;
  const stack = bring.data;
  const clash = told?.specimen_there ?? null;
  const can =
    told !== undefined &&
    told.faults.length === 0 &&
    told.stack_there === null &&
    !(clash && way === "rename" && !number.trim());
  return (
    <>
      <p className="text-ink2">
        A stack as another station packed it, on its Record page: originals, results, measures, mends and
        history. It is gone through first, and nothing is brought in before you say so.
      </p>
      <div className="mt-2 flex flex-wrap items-center gap-3">
        <FileButton
          label="A package"
          accept=".zip"
          look={told ? "plain" : "next"}
          disabled={tried.isPending || bring.isPending}
          onFiles={([one]) => {
            if (!one) return;
            setName(one.name);
            bring.reset();
            tried.mutate(one);
          }}
        >
          {name ? "Another package" : "Choose the package"}
        </FileButton>
        {name && <span className="min-w-0 break-all">{name}</span>}
      </div>
      {tried.isPending && (
        <p role="status" className="py-2">
          Going through it: every file against its checksum …
        </p>
      )}
      {tried.isError && <Notice kind="fault">{tried.error.message}</Notice>}
      {told && !tried.isPending && (
        <>
          <Tells told={told} />
          {told.faults.length > 0 && (
            <Notice kind="fault" title="This package does not hold: it is not brought in.">
              <ul aria-label="Faults" className="mt-1 max-h-56 overflow-y-auto">
                {told.faults.map((one) => (
                  <li key={one} className="break-words">
                    {one}
                  </li>
                ))}
              </ul>
              Ask for it anew.
            </Notice>
          )}
          {told.stack_there !== null && !stack && (
            <Notice kind="hint" title="This stack is here already.">
              Its history begins with the same entry. <To stackId={told.stack_there}>To the stack</To>
            </Notice>
          )}
          {clash && told.stack_there === null && !stack && (
            <section aria-label="The number is taken" className="mt-3">
              <p>
                <strong>{told.catalogue_number}</strong> is here already: {clash.name}.
                {clash.differs.length > 0
                  ? ` Its label differs in ${clash.differs.map(inWords).join(", ")}.`
                  : " Its label says the same."}
              </p>
              <OneOf
                label="What to do"
                value={way}
                options={[
                  { value: "join", label: "Add the stack to it" },
                  { value: "rename", label: "It is another: new number" },
                ]}
                onChange={(one) => setWay(one as typeof way)}
              />
              {way === "rename" && (
                <TextField label="Its number here" required value={number} onChange={setNumber} />
              )}
            </section>
          )}
          {bring.isError && <Notice kind="fault">{bring.error.message}</Notice>}
          {stack ? (
            <Notice kind="hint" title="Brought in.">
              Its history says so, and it is undone in one step. <To stackId={stack.id}>To the stack</To>
            </Notice>
          ) : (
            <Button
              look="next"
              className="mt-4"
              disabled={!can || bring.isPending}
              onClick={() => bring.mutate(told)}
            >
              {bring.isPending ? "Bringing it in …" : "Bring it in"}
            </Button>
          )}
        </>
      )}
    </>
  );
}

function Tells({ told }: { told: PackageTried }) {
  const rows: Array<[string, string]> = [
    ["Specimen", `${told.catalogue_number} ${told.name}`],
    [
      "Rig",
      told.rig_there === "same"
        ? `${told.rig_name}, the same as here`
        : told.rig_there === "another"
          ? `${told.rig_name}: the one here is another, so it comes beside it`
          : `${told.rig_name}, new here`,
    ],
    [
      "Originals",
      `${told.originals}${told.originals_there > 0 ? `, ${told.originals_there} of them are here` : ""}`,
    ],
    [
      "Made of them",
      [
        plural(told.merges, "merge"),
        told.mends > 0 && plural(told.mends, "mended picture"),
        told.measures > 0 && plural(told.measures, "measure"),
      ]
        .filter(Boolean)
        .join(", "),
    ],
    ["History", plural(told.entries, "entry", "entries")],
    ["Size", bytes(told.bytes)],
    ["Packed by", told.made_with],
  ];
  return (
    <dl className="mt-3 grid grid-cols-[auto_1fr] gap-x-4 text-[0.9375rem]">
      {rows.map(([head, words]) => (
        <div key={head} className="col-span-2 grid grid-cols-subgrid border-rule border-b py-1">
          <dt className="text-ink2">{head}</dt>
          <dd>{words}</dd>
        </div>
      ))}
    </dl>
  );
}

function To({ stackId, children }: { stackId: number; children: string }) {
  return (
    <Link
      to="/stacks/$stackId/$stage"
      params={{ stackId: String(stackId), stage: "record" }}
      className="underline underline-offset-3"
    >
      {children}
    </Link>
  );
}

const inWords = (entry: string) => entry.replace(/_/g, " ");
