import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Preflight as Item } from "../../client/api";
import { Button } from "../../ui/Button";
import { Check } from "../../ui/Field";
import { Notice } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";

interface Props {
  stackId: number;
  /** A rail moves the focus. */
  driven: boolean;
  /** Tiles that can be shot after this one without a hand; 0 where there are none. */
  more: number;
  onClose: () => void;
  onGo: (confirmed: string[], then: boolean) => void;
}

const MARK: Record<Item["state"], string> = { fine: "fine", confirm: "to confirm", stop: "in the way" };

/** The list before a run. What is open can be confirmed by hand; what is in the way cannot. */
export function Preflight({ stackId, driven, more, onClose, onGo }: Props) {
  const list = useQuery({
    queryKey: ["preflight", stackId],
    queryFn: () => api.preflight(stackId),
    staleTime: 0,
    gcTime: 0,
  });
  const [confirmed, setConfirmed] = useState<ReadonlySet<string>>(new Set());
  const [then, setThen] = useState(true);
  const items = list.data ?? [];
  const waiting = items.filter((item) => item.state === "confirm" && !confirmed.has(item.key));
  const blocked = items.filter((item) => item.state === "stop");
  const toggle = (key: string) =>
    setConfirmed((before) => {
      const after = new Set(before);
      if (!after.delete(key)) after.add(key);
      return after;
    });
  return (
    <Panel title="Before the run" open onClose={onClose}>
      {list.isPending && <p className="text-ink2">Looking …</p>}
      {list.isError && <Notice kind="fault">{list.error.message}</Notice>}
      <ul className="mb-4">
        {items.map((item) => (
          <li key={item.key} className="border-rule border-b py-2">
            <div className="flex items-start justify-between gap-3">
              <span className="head">{item.title}</span>
              <span
                className={`shrink-0 text-[0.9375rem] ${item.state === "stop" ? "text-fault" : "text-ink2"}`}
              >
                {item.state === "confirm" && confirmed.has(item.key) ? "confirmed" : MARK[item.state]}
              </span>
            </div>
            <p className="text-[0.9375rem] text-ink2">{item.detail}</p>
            {item.state === "confirm" && (
              <Check
                label={item.key.startsWith("caution:") ? "Read" : "Go on all the same"}
                checked={confirmed.has(item.key)}
                onChange={() => toggle(item.key)}
              />
            )}
          </li>
        ))}
      </ul>
      {more > 0 && (
        <div className="mb-3">
          <Check
            label={`Then the ${more} tiles that are left, one after another`}
            checked={then}
            onChange={setThen}
          />
          <p className="text-[0.9375rem] text-ink2">
            The stage goes to each by itself, and what was confirmed here counts for them. It ends at the
            first trouble, and with any stop.
          </p>
        </div>
      )}
      <Button
        look="next"
        className="w-full"
        disabled={!list.data || waiting.length > 0 || blocked.length > 0}
        onClick={() => onGo([...confirmed], more > 0 && then)}
      >
        {blocked.length > 0
          ? "Something is in the way"
          : waiting.length > 0
            ? `${waiting.length} to confirm`
            : "Start the run"}
      </Button>
      <p className="mt-3 text-[0.9375rem] text-ink2">
        {driven && "The rail moves by itself: keep fingers and cables away, and stay near the stop. "}
        Strong flashes can hurt eyes and people who are sensitive to light. Follow the makers' sheets and your
        local rules.
      </p>
    </Panel>
  );
}
