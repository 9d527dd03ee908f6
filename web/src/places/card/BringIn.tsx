import { type ReactNode, useRef, useState } from "react";
import { chosen, type Placed } from "../../client/upload";
import { Button } from "../../ui/Button";
import { DropArea } from "../../ui/DropArea";

interface Props {
  onFiles: (placed: Placed[]) => void;
  /** A folder of the station itself was named. */
  onFolder: (folder: string) => void;
  children?: ReactNode;
}

/** Ways to bring files in: dropped, from the file dialog, or from a folder of the station. */
export function BringIn({ onFiles, onFolder, children }: Props) {
  const [folder, setFolder] = useState("");
  const files = useRef<HTMLInputElement>(null);
  const folders = useRef<HTMLInputElement>(null);
  const taken = (event: React.ChangeEvent<HTMLInputElement>) => {
    const placed = chosen(event.target.files ?? []);
    event.target.value = "";
    if (placed.length > 0) onFiles(placed);
  };
  return (
    <DropArea label="Drop files or folders here" className="p-6" onFiles={onFiles}>
      {children}
      <p className="mb-4 text-ink2">
        Drop a card, folders or files here: JPEG, PNG, TIFF and camera raw. Originals stay as they are; what
        is known already is not stored twice.
      </p>
      <div className="flex flex-wrap items-center justify-center gap-3">
        <input
          ref={folders}
          type="file"
          multiple
          aria-label="A card or folder"
          className="sr-only"
          tabIndex={-1}
          {...{ webkitdirectory: "" }}
          onChange={taken}
        />
        <input
          ref={files}
          type="file"
          multiple
          aria-label="Files"
          className="sr-only"
          tabIndex={-1}
          onChange={taken}
        />
        <Button look="next" onClick={() => folders.current?.click()}>
          Choose a card or folder
        </Button>
        <Button onClick={() => files.current?.click()}>Choose files</Button>
      </div>
      <form
        className="mx-auto mt-5 flex max-w-[640px] items-end gap-2 text-left"
        onSubmit={(event) => {
          event.preventDefault();
          if (folder.trim()) onFolder(folder.trim());
        }}
      >
        <label className="min-w-0 flex-1">
          <span className="block text-ink2">Or a folder of the station, by its whole path</span>
          <input
            className="h-11 w-full rounded-s border border-ink2 bg-card px-3"
            placeholder="/media/card/DCIM"
            value={folder}
            onChange={(event) => setFolder(event.target.value)}
          />
        </label>
        <Button type="submit" disabled={!folder.trim()}>
          Fetch it
        </Button>
      </form>
    </DropArea>
  );
}
