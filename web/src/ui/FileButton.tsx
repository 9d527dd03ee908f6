import { useRef } from "react";
import { Button } from "./Button";

interface Props {
  /** What the files are, for those who cannot see the dialog. */
  label: string;
  children: string;
  onFiles: (files: File[]) => void;
  multiple?: boolean;
  look?: "next" | "plain";
  /** Endings of the files; pictures where nothing else is said. */
  accept?: string;
  className?: string;
  disabled?: boolean;
}

/** A button that opens the file dialog, for pictures that can be read or other files. */
export function FileButton({ label, children, onFiles, multiple = false, accept, ...button }: Props) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        multiple={multiple}
        accept={accept ?? ".jpg,.jpeg,.png,.tif,.tiff"}
        className="sr-only"
        tabIndex={-1}
        aria-label={label}
        onChange={(event) => {
          const files = [...(event.target.files ?? [])];
          event.target.value = "";
          if (files.length > 0) onFiles(files);
        }}
      />
      <Button {...button} onClick={() => input.current?.click()}>
        {children}
      </Button>
    </>
  );
}
