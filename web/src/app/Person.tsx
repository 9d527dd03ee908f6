import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, Refusal } from "../client/api";
import { Button } from "../ui/Button";
import { TextField } from "../ui/Field";
import { Flyout } from "../ui/Flyout";
import { Notice } from "../ui/Notice";

/** Who is signed in, on a station with accounts; signing out, and another password. */
export function Person() {
  const session = useQuery({ queryKey: ["session"], queryFn: api.session });
  // Without accounts the name is merely the initials set under Desk: nobody has signed in.
  if (!session.data?.needed || !session.data.name) return null;
  return (
    <Flyout
      label="Signed in"
      trigger={session.data.name}
      triggerClass="min-h-11 max-w-32 truncate px-1 hover:text-ink hover:underline"
      align="end"
      className="w-[340px] text-[0.9375rem]"
    >
      <Doors />
    </Flyout>
  );
}

function Doors() {
  const queries = useQueryClient();
  const [old, setOld] = useState("");
  const [fresh, setFresh] = useState("");
  // Everything that was fetched belongs to whoever was signed in.
  const leave = { onSuccess: () => queries.resetQueries() };
  const out = useMutation({ mutationFn: (everywhere: boolean) => api.signOut(everywhere), ...leave });
  const change = useMutation({ mutationFn: () => api.changePassword(old, fresh), ...leave });
  const refusal = change.error instanceof Refusal ? change.error : null;
  return (
    <>
      <div className="flex flex-wrap gap-2">
        <Button onClick={() => out.mutate(false)}>Sign out</Button>
        <Button look="quiet" onClick={() => out.mutate(true)}>
          Sign out everywhere
        </Button>
      </div>
      {out.error && <Notice kind="fault">{out.error.message}</Notice>}
      <details className="mt-2">
        <summary className="min-h-9 content-center underline underline-offset-3">Another password</summary>
        <form
          noValidate
          onSubmit={(event) => {
            event.preventDefault();
            change.mutate();
          }}
        >
          <TextField
            label="Present password"
            value={old}
            onChange={setOld}
            problem={refusal?.at("old")}
            secret
            autoComplete="current-password"
            required
          />
          <TextField
            label="New password"
            hint="Ten characters at least. Then sign in with it, here too."
            value={fresh}
            onChange={setFresh}
            problem={refusal?.at("new")}
            secret
            autoComplete="new-password"
            required
          />
          {refusal && refusal.fields.length === 0 && <Notice kind="fault">{refusal.message}</Notice>}
          <Button type="submit" className="mt-2" disabled={!old || !fresh || change.isPending}>
            Change it
          </Button>
        </form>
      </details>
    </>
  );
}
