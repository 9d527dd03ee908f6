import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { api } from "../../client/api";
import type { Placed } from "../../client/upload";
import { moment, plural } from "../../lib/numbers";
import { Discard } from "../../ui/Discard";
import { Failures, Placeholder } from "../../ui/Notice";
import { BringIn } from "./BringIn";
import { nameFor, useBringing } from "./useBringing";

/** The cards that were brought in, and the way to bring in another. */
export function Cards() {
  const cards = useQuery({ queryKey: ["cards"], queryFn: api.cards });
  const navigate = useNavigate();
  const bring = useBringing();
  const open = (id: number) => void navigate({ to: "/card/$cardId", params: { cardId: String(id) } });
  const send = useMutation({
    mutationFn: async (placed: Placed[]) => {
      const card = await api.beginCard(nameFor(placed));
      bring(card.id, placed);
      return card;
    },
    onSuccess: (card) => open(card.id),
  });
  const fetchIt = useMutation({
    mutationFn: async (folder: string) => {
      const card = await api.beginCard(folder.split("/").filter(Boolean).pop()?.slice(0, 120) ?? folder);
      try {
        return await api.fetchFolder(card.id, folder);
      } catch (error) {
        // A card without a single file helps nobody.
        await api.discard({ kind: "card", id: card.id, why: "nothing could be fetched" }).catch(() => {});
        throw error;
      }
    },
    onSuccess: (card) => open(card.id),
  });
  return (
    <div className="h-full overflow-y-auto px-5 py-4">
      <h1 className="mb-3 text-[1.25rem]">Bring in a card</h1>
      <div className="max-w-[900px] space-y-3">
        <Failures of={[send.error, fetchIt.error]} />
        <BringIn onFiles={(placed) => send.mutate(placed)} onFolder={(folder) => fetchIt.mutate(folder)} />
      </div>
      {cards.isPending && <Placeholder>Looking for cards …</Placeholder>}
      <Failures of={[cards.error]} />
      {cards.data && cards.data.length > 0 && (
        <section aria-label="Cards that were brought in" className="mt-6 max-w-[900px]">
          <h2 className="mb-1 text-[1.0625rem]">Brought in before</h2>
          <ul>
            {cards.data.map((card) => (
              <li key={card.id} className="flex items-center gap-3 border-rule border-b">
                <Link
                  to="/card/$cardId"
                  params={{ cardId: String(card.id) }}
                  className="min-h-11 min-w-0 flex-1 content-center hover:underline"
                >
                  <strong>{card.name}</strong>{" "}
                  <span className="text-ink2">
                    {plural(card.files, "file")}, {moment(card.created_at)},{" "}
                    {card.looked_at
                      ? card.accepted > 0
                        ? `${plural(card.accepted, "stack")} accepted`
                        : "nothing accepted yet"
                      : "not looked at yet"}
                  </span>
                </Link>
                <Discard
                  kind="card"
                  id={card.id}
                  what={`card ${card.name}`}
                  along="Takes that were accepted from it stay."
                />
              </li>
            ))}
          </ul>
        </section>
      )}
    </div>
  );
}
