import { useState } from "react";
import { api, type Bench } from "../../client/api";
import { moment } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/Field";
import { Notice } from "../../ui/Notice";

interface Props {
  claim: NonNullable<Bench["claim"]>;
  act: (order: () => Promise<unknown>) => void;
}

/** Who has the bench, where several people share a station; asking for it and taking it over. */
export function ClaimBar({ claim, act }: Props) {
  const [word, setWord] = useState("");
  if (claim.mine)
    return claim.asked_by || claim.word ? (
      <Notice kind="hint">
        {claim.word && <p>{claim.word}.</p>}
        {claim.asked_by && (
          <p className="flex flex-wrap items-center gap-3">
            {claim.asked_by} would like to have the bench.
            <Button onClick={() => act(api.giveUpBench)}>Let {claim.asked_by} have it</Button>
          </p>
        )}
      </Notice>
    ) : null;
  return (
    <Notice kind="hint" title={`${claim.by} has the bench since ${moment(claim.since)}.`}>
      You see what happens, and Stop works for everybody.
      {claim.asked_by && ` ${claim.asked_by} has asked for it.`}
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          act(() => api.takeBench(word));
        }}
      >
        <Button onClick={() => act(api.askForBench)}>Ask for it</Button>
        <div className="min-w-48 flex-1">
          <TextField label="A word, to take it over" value={word} onChange={setWord} />
        </div>
        <Button type="submit" className="mb-1.5" disabled={!word.trim()}>
          Take it over
        </Button>
      </form>
    </Notice>
  );
}
