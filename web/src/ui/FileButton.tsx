import { useRef } from "react";
import { Button } from "./Button";

interface Props {
  /** What the files are, for those who cannot see the dialog. */
  label: string;
  children: string;
  onFiles: (files: File[]) => void;
  multiple?: boolean;
  look?: "next" | "plain";
  className?: string;
  disabled?: boolean;
}

/** A button that opens the file dialog for pictures that can be read. */
export function FileButton({ label, children, onFiles, multiple = false, ...button }: Props) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        multiple={multiple}
        accept=".jpg,.jpeg,.png,.tif,.tiff"
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
