import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Merge, type MergeSettings, type Take } from "../../client/api";
import type { Box } from "../../pictures/Viewer";
import { METHODS, type Method } from "../../specimen/report";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { NumberField } from "../../ui/Field";
import { Failures } from "../../ui/Notice";
import { outside } from "./MergeControls";

const MOST_PX = 512;
const USUAL_PX = 288;
const LEAST_PX = 16;
const SIDE_BY_SIDE = 4;

/** A box of whole pixels that can be merged: within what all frames share, and not too large to be quick. */
export function patchBox(drawn: Box, crop: Box): Box {
  const along = (at: number, length: number, start: number, room: number) => {
    const click = length < LEAST_PX;
    const size = Math.min(Math.round(click ? USUAL_PX : length), MOST_PX, room);
    const from = Math.round(click ? at + length / 2 - size / 2 : at);
    return [Math.min(Math.max(from, start), start + room - size), size] as const;
  };
  const [x, width] = along(drawn.x, drawn.width, crop.x, crop.width);
  const [y, height] = along(drawn.y, drawn.height, crop.y, crop.height);
  return { x, y, width, height };
}

interface Props {
  take: Take;
  merge: Merge;
  box: Box;
  settings: MergeSettings;
  /** The ways that were ticked come first. */
  methods: readonly Method[];
  onMerged: () => void;
}

/** One patch merged in four ways side by side at 1:1, each of which can be changed, and then merge the whole. */
export function Patches({ take, merge, box, settings, methods, onMerged }: Props) {
  const ways = [...new Set([...methods, ...(Object.keys(METHODS) as Method[])])].slice(0, SIDE_BY_SIDE);
  return (
    <div className="grid grid-cols-4 gap-4 small:grid-cols-2">
      {ways.map((method, place) => (
        <OneWay
          key={method}
          name={`Try ${place + 1}`}
          first={{ method, ...settings }}
          {...{ take, merge, box, onMerged }}
        />
      ))}
    </div>
  );
}

interface OneProps extends Pick<Props, "take" | "merge" | "box" | "onMerged"> {
  name: string;
  first: MergeSettings & { method: Method };
}

function OneWay({ name, first, take, merge, box, onMerged }: OneProps) {
  const queries = useQueryClient();
  const [method, setMethod] = useState(first.method);
  const [windowPx, setWindowPx] = useState<number | null>(first.window_px);
  const [calm, setCalm] = useState<number | null>(first.calm);
  const entry = { ...first, method, window_px: windowPx ?? 0, calm: calm ?? -1 };
  const usable = entry.window_px >= 0.5 && entry.window_px <= 50 && entry.calm >= 0 && entry.calm <= 1;
  const tried = useQuery({
    queryKey: ["patch", merge.id, box, entry],
    queryFn: async () =>
      asAddress(
        await api.tryPatch(merge.id, {
          x_px: box.x,
          y_px: box.y,
          width_px: box.width,
          height_px: box.height,
          settings: entry,
        }),
      ),
    enabled: usable,
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const begin = useMutation({
    mutationFn: () => api.beginMerge(take.id, entry),
    onSuccess: async () => {
      onMerged();
      await queries.invalidateQueries({ queryKey: ["stack"] });
    },
  });
  const crossed = method === "auto" || method === "pyramid";
  return (
    <section aria-label={name} className="flex min-w-0 flex-col gap-2">
      <div className="overflow-auto bg-mat" aria-busy={tried.isFetching}>
        {tried.data ? (
          <img
            alt={`The patch by ${METHODS[method].toLowerCase()}`}
            className={`mx-auto max-w-none ${tried.isFetching ? "opacity-50" : ""}`}
            style={{ width: box.width / window.devicePixelRatio }}
            src={tried.data}
          />
        ) : (
          <p
            className="grid place-items-center p-3 text-[#dfe4df]"
            style={{ height: box.height / window.devicePixelRatio }}
          >
            {tried.isError ? "Nothing to show" : "Merging the patch …"}
          </p>
        )}
      </div>
      <div>
        <Choice
          beside
          label="Way"
          value={method}
          options={(Object.keys(METHODS) as Method[]).map((value) => ({ value, label: METHODS[value] }))}
          onChange={(value) => setMethod(value as Method)}
        />
        {crossed && (
          <>
            <NumberField
              label="Window"
              unit="px"
              value={windowPx}
              onChange={setWindowPx}
              problem={outside(windowPx, 0.5, 50)}
            />
            <NumberField label="Calm" value={calm} onChange={setCalm} problem={outside(calm, 0, 1)} />
          </>
        )}
      </div>
      <Failures of={[tried.error, begin.error]} />
      <Button className="mt-auto" disabled={!usable || begin.isPending} onClick={() => begin.mutate()}>
        Merge take {take.number} like this
      </Button>
    </section>
  );
}

/** A picture as an address that needs no tidying away. */
const asAddress = (picture: Blob) =>
  new Promise<string>((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(reader.result as string);
    reader.onerror = () => reject(reader.error);
    reader.readAsDataURL(picture);
  });
