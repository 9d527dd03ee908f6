import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useEffect, useRef, useState } from "react";
import { api, type Delivery, type PackageTried, Refusal } from "../../client/api";
import { type Sent, sent } from "../../client/sent";
import { bytes, plural } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/Field";
import { FileButton } from "../../ui/FileButton";
import { Notice } from "../../ui/Notice";
import { OneOf } from "../../ui/OneOf";
import { Work } from "../../ui/Work";

const UNDER_WAY = ["waiting", "running"];
const WORDS: Record<string, string> = {
  check: "Going through it, MB against checksums",
  bring: "Bringing it in: originals and results",
};
const KEPT = "amber-ladder-delivery"; // of this window: a reload goes on where it was

/** A stack that another station packed: sent, gone through, told, and brought in whole. */
export function BringPackage() {
  const queries = useQueryClient();
  const [key, setKey] = useState(() => sessionStorage.getItem(KEPT));
  const [name, setName] = useState("");
  const [sending, setSending] = useState<Sent | null>(null);
  const stopper = useRef(new AbortController());
  const keep = (one: Delivery | null) => {
    if (one) {
      sessionStorage.setItem(KEPT, one.key);
      queries.setQueryData(["delivery", one.key], one);
    } else sessionStorage.removeItem(KEPT);
    setKey(one?.key ?? null);
  };
  const send = useMutation({
    mutationFn: (file: File) => {
      stopper.current = new AbortController();
      return sent<Delivery>("/api/packages/received", file, setSending, stopper.current.signal);
    },
    onSuccess: keep,
    onSettled: () => setSending(null),
  });
  const found = useQuery({
    queryKey: ["delivery", key],
    queryFn: () => api.delivery(key ?? ""),
    enabled: key !== null,
    retry: false,
    refetchInterval: ({ state }) => (UNDER_WAY.includes(state.data?.task.state ?? "") ? 500 : false),
  });
  const stop = useMutation({
    mutationFn: (id: number) => api.stop(id),
    onSettled: () => void queries.invalidateQueries({ queryKey: ["delivery", key] }),
  });
  const delivery = found.data;
  // Opened the next time, the sheet begins anew.
  const gone = found.error instanceof Refusal && !found.error.silent;
  const over = gone || (delivery?.stack_id ?? null) !== null;
  useEffect(() => {
    if (over) sessionStorage.removeItem(KEPT);
  }, [over]);
  const working = delivery && UNDER_WAY.includes(delivery.task.state) ? delivery.task : null;
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
          look={delivery?.told ? "plain" : "next"}
          disabled={send.isPending || working !== null}
          onFiles={([one]) => {
            if (!one) return;
            setName(one.name);
            keep(null);
            send.mutate(one);
          }}
        >
          {name || delivery ? "Another package" : "Choose the package"}
        </FileButton>
        {name && <span className="min-w-0 break-all">{name}</span>}
      </div>
      <div className="mt-3 empty:hidden">
        {send.isPending && (
          <Work
            title="Sending it, MB"
            done={sending?.done ?? 0}
            total={sending?.total ?? 0}
            secondsLeft={sending?.secondsLeft ?? null}
            onStop={() => stopper.current.abort()}
          />
        )}
        {working && (
          <Work
            title={
              working.state === "waiting" ? "It waits for the worker" : (WORDS[working.phase] ?? "Working")
            }
            done={working.done}
            total={working.total}
            secondsLeft={working.seconds_left}
            onStop={() => stop.mutate(working.id)}
          />
        )}
      </div>
      {send.isError && <Notice kind="fault">{send.error.message}</Notice>}
      {key !== null && found.isError && <Notice kind="fault">{found.error.message}</Notice>}
      {stop.isError && <Notice kind="fault">{stop.error.message}</Notice>}
      {delivery && !working && delivery.stack_id === null && <Ended task={delivery.task} />}
      {delivery?.told && !working && <Told key={delivery.key} delivery={delivery} told={delivery.told} />}
    </>
  );
}

/** What is said of work that did not come to its end. */
function Ended({ task }: { task: Delivery["task"] }) {
  if (task.state === "failed") return <Notice kind="fault">{task.message}</Notice>;
  if (task.state === "stopped") return <Notice kind="hint">Stopped: nothing was brought in.</Notice>;
  return null;
}

function Told({ delivery, told }: { delivery: Delivery; told: PackageTried }) {
  const queries = useQueryClient();
  const [way, setWay] = useState<"join" | "rename">("join");
  const [number, setNumber] = useState("");
  const bring = useMutation({
    mutationFn: () =>
      api.bringPackage(delivery.key, {
        join: told.specimen_there !== null && way === "join",
        catalogue_number: told.specimen_there !== null && way === "rename" ? number : null,
      }),
    onSuccess: (now) => queries.setQueryData(["delivery", delivery.key], now),
  });
  const clash = told.specimen_there;
  const here = delivery.stack_id;
  const can =
    told.faults.length === 0 && told.stack_there === null && !(clash && way === "rename" && !number.trim());
  return (
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
      {told.stack_there !== null && here === null && (
        <Notice kind="hint" title="This stack is here already.">
          Its history begins with the same entry. <To stackId={told.stack_there}>To the stack</To>
        </Notice>
      )}
      {clash && told.stack_there === null && here === null && (
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
      {here !== null ? (
        <Notice kind="hint" title="Brought in.">
          Its history says so, and it is undone in one step. <To stackId={here}>To the stack</To>
        </Notice>
      ) : (
        <Button
          look="next"
          className="mt-4"
          disabled={!can || bring.isPending}
          onClick={() => bring.mutate()}
        >
          Bring it in
        </Button>
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
