import { Link } from "@tanstack/react-router";
import { useStack } from "../../specimen/stack";
import { TileMap } from "../../specimen/TileMap";
import { Placeholder } from "../../ui/Notice";

/** What is done on the tiles, not on the whole. */
function Elsewhere({ stage, words }: { stage: string; words: string }) {
  const stack = useStack();
  if (!stack.tiles) return null;
  return (
    <Placeholder>
      {words}
      <div className="mt-4">
        <TileMap tiles={stack.tiles} stage={stage} width={360} />
      </div>
      <Link
        to="/stacks/$stackId/$stage"
        params={{ stackId: String(stack.id), stage: "merge" }}
        search={{}}
        className="mt-3 inline-block underline"
      >
        To the whole
      </Link>
    </Placeholder>
  );
}

export const WholeSort = () => <Elsewhere stage="sort" words="Frames are sorted tile by tile: choose one." />;

export const WholeMend = () => (
  <Elsewhere
    stage="mend"
    words="A whole is mended tile by tile, where the frames are: mend a tile's merge, write it, and lay them anew. What was mended is told with the whole."
  />
);
