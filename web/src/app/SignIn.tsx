import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, Refusal } from "../client/api";
import { Button } from "../ui/Button";
import { TextField } from "../ui/Field";
import { Notice } from "../ui/Notice";

/** The door of a station that several people share. */
export function SignIn() {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const queries = useQueryClient();
  const enter = useMutation({
    mutationFn: () => api.signIn(name, password),
    onSuccess: () => queries.resetQueries(),
    onError: () => setPassword(""),
  });
  const refusal = enter.error instanceof Refusal ? enter.error : null;
  return (
    <main className="grid h-full place-items-center overflow-y-auto p-6">
      <form
        noValidate
        className="w-[360px] max-w-full border border-ink bg-card p-6"
        onSubmit={(event) => {
          event.preventDefault();
          enter.mutate();
        }}
      >
        <h1 className="head mb-2 text-[1.25rem]">Amber Ladder</h1>
        <p className="text-ink2">
          Several people share this station: sign in, so that the record knows who did what.
        </p>
        <TextField label="Name" value={name} onChange={setName} autoComplete="username" required />
        <TextField
          label="Password"
          value={password}
          onChange={setPassword}
          secret
          autoComplete="current-password"
          required
        />
        {refusal && <Notice kind="fault">{refusal.message}</Notice>}
        <Button
          type="submit"
          look="next"
          className="mt-3 w-full"
          disabled={!name || !password || enter.isPending}
        >
          Sign in
        </Button>
        <p className="mt-3 text-[0.875rem] text-ink2">
          No account, or a forgotten password? Whoever looks after the station makes one with ./ladder
          account.
        </p>
      </form>
    </main>
  );
}
