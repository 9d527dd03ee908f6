import { type ReactNode, useState } from "react";
import { dropped, type Placed } from "../client/upload";

interface Props {
  label: string;
  className: string;
  /** What is dropped meanwhile is not taken. */
  disabled?: boolean;
  onFiles: (placed: Placed[]) => void;
  children: ReactNode;
}

/** A place on which files and folders are dropped. */
export function DropArea({ label, className, disabled = false, onFiles, children }: Props) {
  const [over, setOver] = useState(false);
  return (
    <fieldset
      aria-label={label}
      className={`rounded-s border-2 border-dashed text-center ${className} ${over ? "border-amber bg-amber-wash" : "border-ink3"}`}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        if (!disabled)
          void dropped(event.dataTransfer).then((placed) => placed.length > 0 && onFiles(placed));
      }}
    >
      {children}
    </fieldset>
  );
}
