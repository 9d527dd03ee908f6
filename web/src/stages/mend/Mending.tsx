import { useMemo, useRef, useState } from "react";
import { api, type Mend, type Place, type Stack, type Step } from "../../client/api";
import { Ladder } from "../../ladder/Ladder";
import { drawing } from "../../ladder/layout";
import { plural } from "../../lib/numbers";
import { type Box, Viewer } from "../../pictures/Viewer";
import type { Finished } from "../../specimen/stack";
import { Button } from "../../ui/Button";
import { useCommands } from "../../ui/commands";
import { Failures, Notice } from "../../ui/Notice";
import { Canvas } from "./Canvas";
import { Dust } from "./Dust";
import { GroundControls } from "./GroundControls";
import { MendWork } from "./MendWork";
import { Hints, Overlay } from "./Overlay";
import { Places } from "./Places";
import type { Pending } from "./painting";
import { Steps } from "./Steps";
import { asCrop, asRack, type Brushed, byBrush, kept, rackWaits, shaped } from "./shapes";
import { type Brush, changed, type Point, rounded, stroke, type Tool, thinned, USUAL } from "./steps";
import { ToneControls } from "./ToneControls";
import { BrushControls, CropControls, HealControls, PaintFrom, PartControls, ToolRow } from "./Tools";
import { asSource, mended } from "./tiles";
import { useChanges } from "./useChanges";
import { useHere } from "./useHere";
import { usePart } from "./usePart";
import type { Marks } from "./usePicture";

interface Props {
  mend: Mend;
  stack: Stack;
  shown: Finished;
  finished: Finished[];
  onMend: (id: number | null) => void;
}

/** The picture fills the room; the ladder is the paint rack. */
const NOT_KNOWN_YET =
  "Nothing was painted: which frame is sharpest here is not known yet. Choose a rung on the ladder, or paint again in a moment.";

export function Mending({ mend: fetched, stack, shown, finished, onMend }: Props) {
  const [tool, setTool] = useState<Tool>("paint");
  const [brush, setBrush] = useState<Brush>(USUAL);
  const [frame, setFrame] = useState<number | null>(null);
  const [fromMerge, setFromMerge] = useState<number | null>(null);
  const [healFrom, setHealFrom] = useState<Point | null>(null);
  const [like, setLike] = useState(false);
  const [adds, setAdds] = useState(true);
  const [brushed, setBrushed] = useState<Brushed>("sharpen");
  const [crop, setCrop] = useState<Box | null>(null);
  const [turn, setTurn] = useState(0);
  const [tried, setTried] = useState<number | null>(null);
  const [marks, setMarks] = useState<Marks>(null);
  const [alone, setAlone] = useState(false);
  const [before, setBefore] = useState(false);
  const [comparing, setComparing] = useState(false);
  const [goTo, setGoTo] = useState<Box | null>(null);
  const [placeKey, setPlaceKey] = useState<string | null>(null);
  const visible = useRef<Box | null>(null);
  const changes = useChanges(fetched);
  const { mend } = changes;
  const here = useHere(mend, brush.radius, tool === "paint");
  const part = usePart(mend);
  const healing = useHealing(stack, mend);

  const rack = useMemo(() => asRack(shown), [shown]);
  const rung = (file: string) => rack.find((one) => one.name === file)?.label ?? file;
  const chosen = rack.find((one) => one.id === frame);
  const last = (kinds: string[]) => mend.steps.findLast((one) => kinds.includes((one.step as Step).kind));
  const asStep = (one: Mend["steps"][number] | undefined) =>
    one ? { number: one.number, step: one.step as Step, said: one.said as Record<string, unknown> } : null;
  const ground = asStep(mend.steps.findLast(({ step }) => step.kind === "ground" && !step.off));
  const tone = asStep(mend.steps.findLast(({ step }) => step.kind === "tone" && !step.path && !step.off));
  const lit = useMemo(() => {
    const files = new Set(mend.steps.filter(({ step }) => !step.off).map(({ step }) => step.file));
    return new Set(rack.filter((one) => files.has(one.name)).flatMap((one) => one.rung ?? []));
  }, [mend.steps, rack]);

  const place = mend.places.find((one) => one.key === placeKey) ?? null;
  const go = (one: Place) => {
    setPlaceKey(one.key);
    setGoTo({ x: one.x, y: one.y, width: one.width, height: one.height });
  };
  const nextPlace = (after: string | null = placeKey, judged?: string) => {
    const from = mend.places.findIndex((one) => one.key === after);
    const turned = [...mend.places.slice(from + 1), ...mend.places.slice(0, from + 1)];
    const next = turned.find((one) => one.state === "open" && one.key !== judged);
    if (next) go(next);
  };
  const judge = async (one: Place, state: Place["state"]) => {
    const made = await changes.change(() => api.judgePlace(mend.id, one.key, state));
    if (made) nextPlace(one.key, one.key);
  };

  const choose = (id: number) => {
    setFrame(id);
    setFromMerge(null);
  };
  const onRung = (by: number) => {
    const at = rack.findIndex((one) => one.id === frame);
    const next = rack[Math.min(rack.length - 1, Math.max(0, at < 0 ? 0 : at + by))];
    if (next) choose(next.id);
  };
  const paint = async (path: Point[], pressure: number) => {
    const laid = stroke(path, brush, pressure);
    const drawn = (from: Pending["from"]) => ({ path, brush: { ...brush, strength: laid.strength }, from });
    if (tool === "erase") return changes.add({ kind: "erase", ...laid }, drawn("merge"));
    if (tool === "heal") {
      if (!healFrom || !path[0]) return null;
      const from: Point = [healFrom[0] - path[0][0], healFrom[1] - path[0][1]];
      return changes.add({ kind: "heal", ...laid, from: rounded([healFrom])[0] }, drawn({ moved: from }));
    }
    if (tool === "ground") {
      if (!ground) return changes.refuse("There is no ground yet to be refined: set one first.");
      const more = { ...laid, ground: adds };
      const refined = [...((ground.step.refined as object[] | undefined) ?? []), more];
      return changes.set(ground.number, { ...ground.step, refined });
    }
    if (tool === "tone") return changes.add(byBrush(brushed, laid, mend));
    if (fromMerge !== null)
      return changes.add(
        { kind: "from_merge", merge: String(fromMerge), ...laid },
        drawn({ merge: fromMerge }),
      );
    const file = chosen?.name ?? here.frames[0]?.file;
    const id = chosen?.id ?? here.frames[0]?.frame_id;
    if (!file || id === undefined) return changes.refuse(NOT_KNOWN_YET);
    choose(id);
    return changes.add({ kind: "from_frame", file, ...laid }, drawn({ frame: id }));
  };
  const pickGround = (at: Point) => {
    setLike(false);
    void changes.add({ kind: "ground", like: rounded([at])[0], to: "black" });
  };
  const onPlace = (at: Point) => {
    if (tool === "part") part.click(at);
    else if (tool === "heal") setHealFrom(at);
  };
  const nudge = (by: Point) => {
    const painted = last(["from_frame", "from_merge"]);
    if (!painted) return;
    const [x = 0, y = 0] = (painted.step.nudge as Point | undefined) ?? [];
    void changes.set(painted.number, { ...(painted.step as Step), nudge: [x + by[0], y + by[1]] });
  };
  const paintPart = async () => {
    if (!part.found) return;
    const { file, path, radius_px } = part.found;
    const from = { kind: "from_frame", file, path: rounded(thinned(path, radius_px)), radius_px };
    if ((await changes.add({ ...from, softness: 0.6, strength: 1 })) !== null) {
      choose(part.found.frame_id);
      part.again();
    }
  };
  const size = (by: Parameters<typeof changed>[1]) => setBrush((now) => changed(now, by));
  const tools = (one: Tool) => () => {
    setTool(one);
    setComparing(false);
  };
  useCommands({
    nextPlace: () => nextPlace(),
    placeMended: () => place && void judge(place, "mended"),
    placeFine: () => place && void judge(place, "fine"),
    toolPaint: tools("paint"),
    toolPart: tools("part"),
    toolErase: tools("erase"),
    toolHeal: tools("heal"),
    toolGround: tools("ground"),
    toolTone: tools("tone"),
    toolCrop: tools("crop"),
    sharpest: () => {
      const at = here.frames.findIndex((one) => one.frame_id === frame);
      const next = here.frames[(at + 1) % Math.max(1, here.frames.length)];
      if (next) choose(next.frame_id);
    },
    frameAlone: { press: () => setAlone(true), release: () => setAlone(false) },
    before: { press: () => setBefore(true), release: () => setBefore(false) },
    seams: () => setMarks(marks === "seams" ? null : "seams"),
    clipping: () => setMarks(marks === "clipped" ? null : "clipped"),
    mendUndo: () => void changes.undo(),
    mendRedo: () => void changes.redo(),
    smaller: () => size({ size: 1 / 1.15 }),
    larger: () => size({ size: 1.15 }),
    harder: () => size({ softness: -0.1 }),
    softer: () => size({ softness: 0.1 }),
    weaker: () => size({ strength: -0.05 }),
    stronger: () => size({ strength: 0.05 }),
  });
  const waiting = rackWaits(mend);
  const controls = {
    paint: (
      <PaintFrom
        source={chosen?.label ?? "sharpest here"}
        here={here.frames}
        waiting={waiting}
        others={finished.filter(({ take, merge }) => take.id === mend.take_id && merge.id !== mend.merge_id)}
        fromMerge={fromMerge}
        rung={rung}
        onFrame={choose}
        onTry={setTried}
        onMerge={setFromMerge}
      />
    ),
    part: (
      <PartControls
        base={part.base}
        found={part.found}
        busy={part.busy}
        rung={rung}
        onPaint={() => void paintPart()}
        onAgain={part.again}
      />
    ),
    erase: <p className="text-ink2">Back to the merge, as if nothing had been laid there.</p>,
    heal: (
      <HealControls
        allowed={healing.allowed}
        from={healFrom}
        onAllow={healing.allow}
        onAgain={() => setHealFrom(null)}
      />
    ),
    ground: (
      <GroundControls
        mend={mend}
        ground={ground}
        like={like}
        add={adds}
        onLike={() => setLike(!like)}
        onAdd={setAdds}
        onStep={(step) => void (ground ? changes.set(ground.number, step) : changes.add(step))}
      />
    ),
    tone: (
      <ToneControls
        mend={mend}
        tone={tone}
        brushed={brushed}
        onBrushed={setBrushed}
        onStep={(step) =>
          void (step.kind === "tone" && tone ? changes.set(tone.number, step) : changes.add(step))
        }
      />
    ),
    crop: (
      <CropControls
        mend={mend}
        box={crop}
        turn={turn}
        onShape={(ratio) => setCrop(shaped(crop, ratio, mend))}
        onTurn={setTurn}
        onCrop={() =>
          crop && void changes.add(asCrop(crop, turn)).then((done) => done !== null && setCrop(null))
        }
      />
    ),
    move: <p className="text-ink2">Drag the picture. Space and drag does the same with any tool.</p>,
  }[tool];
  const strokes = tool !== "part" && tool !== "crop" && tool !== "move";

  return (
    <div className="grid h-full grid-cols-[clamp(190px,20vw,264px)_minmax(0,1fr)] small:flex small:h-auto small:flex-col">
      <Ladder
        drawing={drawing(stack.plan, stack.ladder, shown.take, shown.merge)}
        caption="lit: paint"
        chosen={chosen?.rung ?? null}
        lit={lit}
        onChoose={(one) => one.frame && rack.some(({ id }) => id === one.frame?.id) && choose(one.frame.id)}
      />
      <div className="flex min-h-0 min-w-0 flex-col">
        <Places mend={mend} chosen={place} onGo={go} onJudge={(one, state) => void judge(one, state)} />
        <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_clamp(250px,21vw,320px)] small:block">
          <div className="flex min-h-0 min-w-0 flex-col">
            {comparing ? (
              <Viewer
                left={{ kind: "composite", id: mend.merge_id, label: "as merged" }}
                right={{
                  kind: "composite",
                  id: mend.merge_id,
                  label: `${mend.name}, ${plural(mend.steps.length, "step")}`,
                  source: { called: `mended ${mend.id} ${mend.revision}`, tiles: asSource(mended(mend)) },
                }}
              />
            ) : (
              <Canvas
                mend={mend}
                tool={like ? "part" : tool}
                brush={brush}
                frame={frame}
                fromMerge={fromMerge}
                healFrom={healFrom}
                pending={changes.pending}
                marks={marks}
                alone={alone}
                preview={tried ?? frame ?? here.frames[0]?.frame_id ?? null}
                trying={tried !== null}
                before={before}
                goTo={goTo}
                visible={visible}
                overlay={
                  <Overlay
                    mend={mend}
                    place={place}
                    base={part.base}
                    path={part.found?.path}
                    crop={crop}
                    turn={turn}
                  />
                }
                corner={<Hints tool={tool} here={here.frames} rung={rung} />}
                onPoint={here.point}
                onStroke={(path, pressure) => void paint(path, pressure)}
                onPlace={like ? pickGround : onPlace}
                onBox={(box) => setCrop(kept(box, mend))}
                onBrush={size}
                onNudge={nudge}
                onRung={onRung}
                onShown={changes.shown}
              />
            )}
          </div>
          <div className="flex min-h-0 flex-col border-ink border-l bg-card text-[0.9375rem]">
            <div className="min-h-0 flex-1 space-y-3 overflow-y-auto p-3">
              <ToolRow tool={tool} onTool={(one) => tools(one)()} />
              {strokes && <BrushControls brush={brush} umPerPx={mend.um_per_px} onChange={setBrush} />}
              {controls}
              {changes.busy && changes.pending.length === 0 && (
                <p role="status" className="-bottom-3 sticky bg-card py-2">
                  Working it out …
                </p>
              )}
              {ground?.said.note !== undefined && tool === "ground" && (
                <Notice kind="hint" title="Look at it:">
                  {String(ground.said.note)}.
                </Notice>
              )}
              <Failures of={[changes.error, part.error]} />
              <Steps
                mend={mend}
                busy={changes.busy}
                rung={rung}
                onSet={(number, step) => void changes.set(number, step)}
                onUndo={() => void changes.undo()}
                onRedo={() => void changes.redo()}
              />
              <div className="flex flex-wrap gap-1.5">
                <Button className="px-2.5" aria-pressed={comparing} onClick={() => setComparing(!comparing)}>
                  {comparing ? "Go on mending" : "Compare with the merge"}
                </Button>
                <Button
                  className="px-2.5 aria-pressed:bg-amber-wash"
                  command="seams"
                  aria-pressed={marks === "seams"}
                  onClick={() => setMarks(marks === "seams" ? null : "seams")}
                >
                  Seams
                </Button>
                <Button
                  className="px-2.5 aria-pressed:bg-amber-wash"
                  command="clipping"
                  aria-pressed={marks === "clipped"}
                  onClick={() => setMarks(marks === "clipped" ? null : "clipped")}
                >
                  Clipping
                </Button>
              </div>
              <Dust
                mend={mend}
                busy={changes.busy}
                onStep={(step) => void changes.add(step)}
                onSet={changes.set}
              />
            </div>
            <MendWork
              mend={mend}
              stack={stack}
              take={shown.take}
              finished={finished}
              visible={visible}
              onMend={onMend}
            />
          </div>
        </div>
      </div>
    </div>
  );
}

/** Healing is asked for once in each stack. */
function useHealing(stack: Stack, mend: Mend) {
  const key = `heal-${stack.id}`;
  const [allowed, setAllowed] = useState(() => localStorage.getItem(key) !== null);
  return {
    allowed: allowed || mend.steps.some(({ step }) => step.kind === "heal"),
    allow: () => {
      localStorage.setItem(key, "yes");
      setAllowed(true);
    },
  };
}
