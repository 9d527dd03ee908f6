import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, cardFileUrl, type NeutralPlace, type Take } from "../../client/api";
import { plural } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Notice } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";

interface Props {
  take: Take;
  open: boolean;
  onClose: () => void;
  onPlace: (place: NeutralPlace) => void;
}

const SHARE = 1 / 12; // of the shorter side: a card is even, and noise averages out

/** White balance from a grey card that was shot beside a take: which file shows it, and where it is grey. */
export function GreyCard({ take, open, onClose, onPlace }: Props) {
  return (
    <Panel title="Grey card" open={open} onClose={onClose} size="wide">
      <Choose take={take} onPlace={onPlace} />
    </Panel>
  );
}

function Choose({ take, onPlace }: Pick<Props, "take" | "onPlace">) {
  const found = useQuery({ queryKey: ["beside", take.id], queryFn: () => api.beside(take.id) });
  const [chosen, setChosen] = useState<number>();
  const file = found.data?.find((one) => one.id === chosen);
  if (found.isPending) return <p className="text-ink2">Looking beside the take …</p>;
  if (found.isError) return <Notice kind="fault">{found.error.message}</Notice>;
  if (file)
    return (
      <>
        <p className="mb-2">
          {file.name}: click a place of the card that is evenly lit, or press Enter for the middle.
        </p>
        <button
          type="button"
          // biome-ignore lint/a11y/noAutofocus: the file was just chosen, and this is what comes next
          autoFocus
          aria-label="Click a place of the grey card; Enter takes the middle"
          className="mb-3 block w-fit cursor-crosshair bg-mat"
          onClick={(event) => {
            const picture = event.currentTarget.querySelector("img");
            const area = event.currentTarget.getBoundingClientRect();
            if (!picture?.naturalWidth) return;
            const byKey = event.detail === 0;
            const [width, height] = [picture.naturalWidth, picture.naturalHeight];
            onPlace({
              file: file.name,
              x: Math.floor((byKey ? 0.5 : (event.clientX - area.left) / area.width) * width),
              y: Math.floor((byKey ? 0.5 : (event.clientY - area.top) / area.height) * height),
              size_px: Math.max(1, Math.round(SHARE * Math.min(width, height))),
            });
          }}
        >
          <img alt="" className="max-h-[64vh]" src={cardFileUrl(file.id, "picture.jpg")} />
        </button>
        <Button onClick={() => setChosen(undefined)}>Another file</Button>
      </>
    );
  return (
    <>
      <p className="mb-2">
        {found.data.length > 0
          ? "Which of the files that lie beside this take on its card shows it?"
          : "No file of the card lies beside this take."}
      </p>
      <ul className="grid grid-cols-4 gap-3">
        {found.data.map((one) => (
          <li key={one.id}>
            <button
              type="button"
              className="block w-full rounded-s p-1 text-left hover:bg-amber-wash"
              onClick={() => setChosen(one.id)}
            >
              <img
                alt=""
                className="h-[120px] w-full bg-mat object-contain"
                src={cardFileUrl(one.id, "thumb.jpg")}
              />
              <span className="block truncate" title={one.name}>
                {one.name}
              </span>
              <span className="block text-[0.875rem] text-ink2">{away(one.frames_off)}</span>
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}

/** Where a file lies, seen from the take. */
function away(off: number): string {
  if (off === 0) return "between its frames";
  return `${plural(Math.abs(off), "file")} ${off < 0 ? "before it" : "after it"}`;
}
