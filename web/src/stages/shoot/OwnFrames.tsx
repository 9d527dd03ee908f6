import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, type Stack, type Take } from "../../client/api";
import { type UploadState, upload } from "../../client/upload";
import { plural } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { DropArea } from "../../ui/DropArea";
import { FileButton } from "../../ui/FileButton";
import { Failures } from "../../ui/Notice";
import { Rejected } from "../../ui/Rejected";
import { Work } from "../../ui/Work";

interface Props {
  stack: Stack;
  /** The take that is open for files, if any. */
  take: Take | undefined;
  onChange: () => void;
  /** The take is closed: on with it. */
  onDone: () => void;
}

/** Bring one's own frames, by drag and drop or by the file dialog, in the hundreds. */
export function OwnFrames({ stack, take, onChange, onDone }: Props) {
  const [sending, setSending] = useState<UploadState | null>(null);
  const stopper = useRef<AbortController | null>(null);
  const busy = sending !== null && sending.done < sending.total && !stopper.current?.signal.aborted;

  const send = useMutation({
    mutationFn: async (files: File[]) => {
      if (files.length === 0) return;
      const target = take ?? (await api.beginFiles(stack.id));
      stopper.current = new AbortController();
      await upload((file) => api.addFile(target.id, file), files, setSending, stopper.current.signal);
    },
    onSettled: onChange,
  });
  const finish = useMutation({
    mutationFn: (id: number) => api.finishTake(id),
    onSuccess: () => {
      setSending(null);
      onDone();
    },
    onSettled: onChange,
  });
  const add = (files: File[]) => send.mutate(files);

  return (
    <section aria-label="Own frames" className="space-y-2">
      <h2 className="text-[1rem]">Own frames</h2>
      <DropArea
        label="Drop frames here"
        className="p-4"
        disabled={busy}
        onFiles={(placed) => add(placed.map(({ file }) => file))}
      >
        <p className="mb-2 text-[0.9375rem] text-ink2">
          Drop frames or a folder here: JPEG, PNG or TIFF of 8 or 16 bits. They are kept untouched.
        </p>
        <FileButton multiple label="Frames to add" disabled={busy} onFiles={add}>
          Choose files
        </FileButton>
      </DropArea>
      {sending && busy && (
        <Work
          title="Storing frames"
          done={sending.done}
          total={sending.total}
          secondsLeft={sending.secondsLeft}
          onStop={() => stopper.current?.abort()}
        />
      )}
      <Rejected files={sending?.rejected ?? []} />
      {take && !busy && (
        <>
          <p role="status">{plural(take.frames.length, "frame")} stored.</p>
          <Button
            look="next"
            className="w-full"
            disabled={take.frames.length < 2 || finish.isPending}
            onClick={() => finish.mutate(take.id)}
          >
            {take.frames.length < 2
              ? "At least 2 frames are needed"
              : `Use these ${take.frames.length} frames`}
          </Button>
        </>
      )}
      <Failures of={[send.error, finish.error]} />
    </section>
  );
}
