import { answered } from "./answered";
import { asItIs, client, type Schemas } from "./client";
import { places } from "./places";
import type { Development, Plan, RigDefinition, Step, Subject } from "./shapes";
import { tiles } from "./tiles";

export { onSignedOut, Refusal } from "./answered";
export type { Schemas } from "./client";
export * from "./shapes";
export * from "./urls";

/** Places that somebody picked, px of the picture. */
export interface Pick {
  points: [number, number][];
  points_b?: [number, number][] | null;
}
/** A measure that is not taken yet. */
export type Tried = Pick & { kind: Schemas["TriedEntry"]["kind"] };

/** How files are called that leave the station, and where its pictures are given out. */
export type FileNames = Schemas["FileNames"];
/** Something of known size in a picture. */
export type Reference = Schemas["ReferenceJson"];

export const api = {
  ...places,
  ...tiles,
  stages: () => answered(client.GET("/api/stages")),
  station: () => answered(client.GET("/api/station")),
  cabinet: (words: string, kind: string) =>
    answered(client.GET("/api/specimens", { params: { query: { words, kind } } })),
  specimen: (id: number) =>
    answered(client.GET("/api/specimens/{specimen_id}", { params: { path: { specimen_id: id } } })),
  addSpecimen: (body: Schemas["SpecimenEntry"]) => answered(client.POST("/api/specimens", { body })),
  labelEntries: () => answered(client.GET("/api/label-entries")),
  rights: () => answered(client.GET("/api/rights")),
  setRights: (body: Schemas["Rights"]) => answered(client.PUT("/api/rights", { body })),
  fileNames: () => answered(client.GET("/api/file-names")),
  setFileNames: (body: FileNames) => answered(client.PUT("/api/file-names", { body })),
  called: (merge_id: number, query: FileNames) =>
    answered(client.GET("/api/merges/{merge_id}/called", { params: { path: { merge_id }, query } })),
  editSpecimen: (id: number, body: Schemas["SpecimenEntry"], seen?: number) =>
    answered(
      client.PUT("/api/specimens/{specimen_id}", {
        params: { path: { specimen_id: id }, query: { seen } },
        body,
      }),
    ),
  rigs: () => answered(client.GET("/api/rigs")),
  addRig: (body: Schemas["RigEntry"]) => answered(client.POST("/api/rigs", { body })),
  editRig: (id: number, body: Schemas["RigEntry"], seen?: number) =>
    answered(client.PUT("/api/rigs/{rig_id}", { params: { path: { rig_id: id }, query: { seen } }, body })),
  tryRig: (body: Schemas["RigEntry"], medium_index: number) =>
    answered(client.POST("/api/rigs/preview", { body, params: { query: { medium_index } } })),
  putOnBench: (rig_id: number, flash_power: number) =>
    answered(client.PUT("/api/rigs/{rig_id}/bench", { params: { path: { rig_id } }, body: { flash_power } })),
  rigVersions: (rig_id: number) =>
    answered(client.GET("/api/rigs/{rig_id}/versions", { params: { path: { rig_id } } })),
  parts: () => answered(client.GET("/api/parts")),
  addPart: (body: Schemas["PartEntry"]) => answered(client.POST("/api/parts", { body })),
  editPart: (part_id: number, body: Schemas["PartEntry"], seen?: number) =>
    answered(client.PUT("/api/parts/{part_id}", { params: { path: { part_id }, query: { seen } }, body })),
  planAgain: (stack_id: number) =>
    answered(client.POST("/api/stacks/{stack_id}/again", { params: { path: { stack_id } } })),
  drift: (rig_id: number) =>
    answered(client.GET("/api/rigs/{rig_id}/calibrations/drift", { params: { path: { rig_id } } })),
  calibrations: (rig_id: number) =>
    answered(client.GET("/api/rigs/{rig_id}/calibrations", { params: { path: { rig_id } } })),
  shootRuledSlide: (rig_id: number) =>
    answered(client.POST("/api/rigs/{rig_id}/scale-pictures", { params: { path: { rig_id } } })),
  bringScalePicture: (rig_id: number, file: File) =>
    answered(
      client.PUT("/api/rigs/{rig_id}/scale-pictures/{name}", {
        params: { path: { rig_id, name: file.name } },
        ...asItIs(file),
      }),
    ),
  setAside: (calibration_id: number, aside: boolean) => {
    const where = { params: { path: { calibration_id } } };
    return answered(
      aside
        ? client.PUT("/api/calibrations/{calibration_id}/set-aside", where)
        : client.DELETE("/api/calibrations/{calibration_id}/set-aside", where),
    );
  },
  scales: (stack_id: number) =>
    answered(client.GET("/api/stacks/{stack_id}/scales", { params: { path: { stack_id } } })),
  applyScale: (stack_id: number, calibration_id: number | null) =>
    answered(
      client.PUT("/api/stacks/{stack_id}/scale", {
        params: { path: { stack_id } },
        body: { calibration_id },
      }),
    ),
  letCount: (merge_id: number) =>
    answered(client.PUT("/api/merges/{merge_id}/counts", { params: { path: { merge_id } } })),
  depthOf: (merge_id: number) =>
    answered(client.GET("/api/merges/{merge_id}/depth", { params: { path: { merge_id } } })),
  contours: (merge_id: number, every?: number) =>
    answered(
      client.GET("/api/merges/{merge_id}/contours", {
        params: { path: { merge_id }, query: every === undefined ? {} : { every } },
      }),
    ),
  depthAt: (merge_id: number, x_px: number, y_px: number) =>
    answered(
      client.GET("/api/merges/{merge_id}/depth-at", {
        params: { path: { merge_id }, query: { x_px, y_px } },
      }),
    ),
  leaveOut: (frame_id: number, reason: string) =>
    answered(
      client.PUT("/api/frames/{frame_id}/left-out", { params: { path: { frame_id } }, body: { reason } }),
    ),
  takeBack: (frame_id: number) =>
    answered(client.DELETE("/api/frames/{frame_id}/left-out", { params: { path: { frame_id } } })),
  tryScale: (rig_id: number, body: Schemas["ScaleEntry"]) =>
    answered(
      client.POST("/api/rigs/{rig_id}/calibrations/scale/preview", { params: { path: { rig_id } }, body }),
    ),
  saveScale: (rig_id: number, body: Schemas["ScaleEntry"]) =>
    answered(client.POST("/api/rigs/{rig_id}/calibrations/scale", { params: { path: { rig_id } }, body })),
  beginRamp: (rig_id: number, body: Schemas["RampEntry"]) =>
    answered(client.POST("/api/rigs/{rig_id}/calibrations/ramp", { params: { path: { rig_id } }, body })),
  addRampFrame: (calibration_id: number, file: File) =>
    answered(
      client.PUT("/api/calibrations/{calibration_id}/frames/{name}", {
        params: { path: { calibration_id, name: file.name } },
        ...asItIs(file),
      }),
    ),
  measureRamp: (calibration_id: number) =>
    answered(
      client.POST("/api/calibrations/{calibration_id}/measure", { params: { path: { calibration_id } } }),
    ),
  tryPlan: (rig: RigDefinition, plan: Plan, subject: Subject) =>
    answered(client.POST("/api/plan/preview", { body: { rig, plan, subject } })),
  otherWays: (body: Schemas["WaysEntry"]) => answered(client.POST("/api/plan/ways", { body })),
  look: (body: Schemas["LookEntry"]) => answered(client.POST("/api/plan/look", { body })),
  byHand: (body: Schemas["ByHandEntry"]) => answered(client.POST("/api/plan/by-hand", { body })),
  vanishing: (body: Schemas["VanishingEntry"]) => answered(client.POST("/api/plan/vanishing", { body })),
  cautions: (specimen_id: number) =>
    answered(client.GET("/api/specimens/{specimen_id}/cautions", { params: { path: { specimen_id } } })),
  tickCaution: (stack_id: number, key: string) =>
    answered(
      client.POST("/api/stacks/{stack_id}/cautions", { params: { path: { stack_id } }, body: { key } }),
    ),
  workedBefore: (kind: string, rig: string, magnification: number) =>
    answered(client.GET("/api/plan/before", { params: { query: { kind, rig, magnification } } })),
  saveLadder: (specimen_id: number, body: Schemas["PlanEntry"]) =>
    answered(client.POST("/api/specimens/{specimen_id}/stacks", { params: { path: { specimen_id } }, body })),
  changeLadder: (stack_id: number, body: Schemas["PlanEntry"], seen?: number) =>
    answered(
      client.PUT("/api/stacks/{stack_id}/plan", { params: { path: { stack_id }, query: { seen } }, body }),
    ),
  stack: (stack_id: number) =>
    answered(client.GET("/api/stacks/{stack_id}", { params: { path: { stack_id } } })),
  scenes: () => answered(client.GET("/api/scenes")),
  beginFiles: (stack_id: number) =>
    answered(client.POST("/api/stacks/{stack_id}/takes", { params: { path: { stack_id } } })),
  finishTake: (take_id: number) =>
    answered(client.POST("/api/takes/{take_id}/finish", { params: { path: { take_id } } })),
  stop: (task_id: number) =>
    answered(client.POST("/api/tasks/{task_id}/stop", { params: { path: { task_id } } })),
  bench: () => answered(client.GET("/api/bench")),
  changeBench: (body: Schemas["BenchChange"]) => answered(client.PATCH("/api/bench", { body })),
  flaws: () => answered(client.GET("/api/bench/flaws")),
  setUpBench: (stack_id: number) =>
    answered(client.PUT("/api/bench/stack/{stack_id}", { params: { path: { stack_id } } })),
  connectRail: () => answered(client.POST("/api/bench/connect")),
  move: (body: Schemas["MoveEntry"]) => answered(client.POST("/api/bench/move", { body })),
  holdOn: (hold: string) => answered(client.POST("/api/bench/holds/{hold}", { params: { path: { hold } } })),
  release: (hold: string) =>
    answered(client.DELETE("/api/bench/holds/{hold}", { params: { path: { hold } } })),
  halt: () => answered(client.POST("/api/bench/halt")),
  findEnds: () => answered(client.POST("/api/bench/ends")),
  setFlash: (body: Schemas["FlashEntry"]) => answered(client.POST("/api/bench/flash", { body })),
  testFrame: () => answered(client.POST("/api/bench/test-frame")),
  keepBefore: () => answered(client.POST("/api/bench/test-frame/keep")),
  weighHeads: () => answered(client.POST("/api/bench/heads")),
  metered: (body: Schemas["MeterEntry"]) => answered(client.POST("/api/bench/meter", { body })),
  markPlace: (body: Schemas["PlaceEntry"]) => answered(client.PUT("/api/bench/place", { body })),
  unmarkPlace: () => answered(client.DELETE("/api/bench/place")),
  noteBest: (words: string) => answered(client.PUT("/api/bench/place/note", { body: { words } })),
  roomFrame: () => answered(client.POST("/api/bench/room-frame")),
  setEnds: (stack_id: number, near_um: number, far_um: number) =>
    answered(
      client.PUT("/api/stacks/{stack_id}/ends", {
        params: { path: { stack_id } },
        body: { near_um, far_um },
      }),
    ),
  preflight: (stack_id: number) =>
    answered(client.GET("/api/stacks/{stack_id}/preflight", { params: { path: { stack_id } } })),
  beginRun: (stack_id: number, body: Schemas["RunEntry"]) =>
    answered(client.POST("/api/stacks/{stack_id}/runs", { params: { path: { stack_id } }, body })),
  beginBurst: (stack_id: number, body: Schemas["BurstEntry"]) =>
    answered(client.POST("/api/stacks/{stack_id}/bursts", { params: { path: { stack_id } }, body })),
  resumeRun: (take_id: number) =>
    answered(client.POST("/api/takes/{take_id}/resume", { params: { path: { take_id } } })),
  orderRun: (order: "pause" | "go-on" | "stop-after-rung") =>
    answered(client.POST("/api/bench/run/{order}", { params: { path: { order } } })),
  turn: (body: Schemas["TurnOrder"]) => answered(client.POST("/api/bench/turn", { body })),
  fire: () => answered(client.POST("/api/bench/fire")),
  beginMerge: (take_id: number, entry: Schemas["MergeEntry"]) =>
    answered(client.POST("/api/takes/{take_id}/merges", { params: { path: { take_id } }, body: entry })),
  workers: () => answered(client.GET("/api/workers")),
  tryPatch: (merge_id: number, body: Schemas["PatchEntry"]) =>
    answered<Blob>(
      client.POST("/api/merges/{merge_id}/patch", { params: { path: { merge_id } }, body, parseAs: "blob" }),
    ),
  beginMend: (merge_id: number, name: string) =>
    answered(client.POST("/api/merges/{merge_id}/mends", { params: { path: { merge_id } }, body: { name } })),
  mend: (mend_id: number) => answered(client.GET("/api/mends/{mend_id}", { params: { path: { mend_id } } })),
  lookAgain: (mend_id: number) =>
    answered(client.POST("/api/mends/{mend_id}/look", { params: { path: { mend_id } } })),
  renameMend: (mend_id: number, name: string) =>
    answered(client.PUT("/api/mends/{mend_id}/name", { params: { path: { mend_id } }, body: { name } })),
  copyMend: (mend_id: number, name: string, merge_id: number | null) =>
    answered(
      client.POST("/api/mends/{mend_id}/copies", { params: { path: { mend_id } }, body: { name, merge_id } }),
    ),
  addStep: (mend_id: number, revision: number, step: Step) =>
    answered(
      client.POST("/api/mends/{mend_id}/steps", {
        params: { path: { mend_id } },
        body: { revision, step } as unknown as Schemas["StepEntry"],
      }),
    ),
  changeStep: (mend_id: number, revision: number, number: number, step: Step) =>
    answered(
      client.PUT("/api/mends/{mend_id}/steps/{number}", {
        params: { path: { mend_id, number } },
        body: { revision, step } as unknown as Schemas["StepEntry"],
      }),
    ),
  undoStep: (mend_id: number, revision: number) =>
    answered(client.POST("/api/mends/{mend_id}/undo", { params: { path: { mend_id } }, body: { revision } })),
  redoStep: (mend_id: number, revision: number) =>
    answered(client.POST("/api/mends/{mend_id}/redo", { params: { path: { mend_id } }, body: { revision } })),
  judgePlace: (mend_id: number, key: string, state: Schemas["JudgedEntry"]["state"]) =>
    answered(
      client.PUT("/api/mends/{mend_id}/places/{key}", {
        params: { path: { mend_id, key } },
        body: { state },
      }),
    ),
  writeMend: (mend_id: number) =>
    answered(client.POST("/api/mends/{mend_id}/written", { params: { path: { mend_id } } })),
  sharpestHere: (merge_id: number, x_px: number, y_px: number, radius_px: number) =>
    answered(
      client.GET("/api/merges/{merge_id}/sharpest", {
        params: { path: { merge_id }, query: { x_px, y_px, radius_px } },
      }),
    ),
  proposePart: (merge_id: number, base: [number, number], tip: [number, number]) =>
    answered(
      client.POST("/api/merges/{merge_id}/part", { params: { path: { merge_id } }, body: { base, tip } }),
    ),
  measureKinds: () => answered(client.GET("/api/measure-kinds")),
  measuring: (merge_id: number) =>
    answered(client.GET("/api/merges/{merge_id}/measures", { params: { path: { merge_id } } })),
  tryMeasure: (merge_id: number, body: Tried) =>
    answered(client.POST("/api/merges/{merge_id}/measured", { params: { path: { merge_id } }, body })),
  takeMeasure: (merge_id: number, body: Tried & { name: string }) =>
    answered(client.POST("/api/merges/{merge_id}/measures", { params: { path: { merge_id } }, body })),
  tryReference: (merge_id: number, body: Reference) =>
    answered(client.POST("/api/merges/{merge_id}/reference", { params: { path: { merge_id } }, body })),
  setReference: (merge_id: number, body: Reference) =>
    answered(client.PUT("/api/merges/{merge_id}/reference", { params: { path: { merge_id } }, body })),
  dropReference: (merge_id: number) =>
    answered(client.DELETE("/api/merges/{merge_id}/reference", { params: { path: { merge_id } } })),
  series: (merge_id: number) =>
    answered(client.GET("/api/merges/{merge_id}/series", { params: { path: { merge_id } } })),
  setSeries: (merge_id: number, items: { name: string; kind: Tried["kind"] }[]) =>
    answered(
      client.PUT("/api/merges/{merge_id}/series", { params: { path: { merge_id } }, body: { items } }),
    ),
  seriesTable: (merge_id: number) =>
    answered(client.GET("/api/merges/{merge_id}/series/table", { params: { path: { merge_id } } })),
  relief: (merge_id: number, part?: { x: number; y: number; width: number; height: number }) =>
    answered<ArrayBuffer>(
      client.GET("/api/merges/{merge_id}/relief", {
        params: { path: { merge_id }, query: part ?? {} },
        parseAs: "arrayBuffer",
      }),
    ),
  snap: (merge_id: number, x: number, y: number) =>
    answered(
      client.POST("/api/merges/{merge_id}/snapped", { params: { path: { merge_id } }, body: { x, y } }),
    ),
  changeMeasure: (measure_id: number, body: { name?: string; pick?: Pick }) =>
    answered(client.PUT("/api/measures/{measure_id}", { params: { path: { measure_id } }, body })),
  pickAgain: (measure_id: number, body: Pick) =>
    answered(client.POST("/api/measures/{measure_id}/picks", { params: { path: { measure_id } }, body })),
  profileCsv: (merge_id: number, body: Tried) =>
    answered<Blob>(
      client.POST("/api/merges/{merge_id}/profile.csv", {
        params: { path: { merge_id } },
        body,
        parseAs: "blob",
      }),
    ),
  label: (merge_id: number) =>
    answered(client.GET("/api/merges/{merge_id}/label", { params: { path: { merge_id } } })),
  session: () => answered(client.GET("/api/session")),
  signIn: (name: string, password: string) =>
    answered(client.POST("/api/session", { body: { name, password } })),
  signOut: (everywhere: boolean) =>
    answered(client.DELETE("/api/session", { params: { query: { everywhere } } })),
  changePassword: (old: string, fresh: string) =>
    answered(client.PUT("/api/password", { body: { old, new: fresh } })),
  takeBench: (word: string) => answered(client.PUT("/api/bench/claim", { body: { word } })),
  askForBench: () => answered(client.POST("/api/bench/claim/ask")),
  giveUpBench: () => answered(client.DELETE("/api/bench/claim")),
  deeds: () => answered(client.GET("/api/deeds")),
  undo: (deed_id: number) =>
    answered(client.POST("/api/deeds/{deed_id}/undo", { params: { path: { deed_id } } })),
  discard: (body: Schemas["DiscardEntry"]) => answered(client.POST("/api/discards", { body })),
  discarded: () => answered(client.GET("/api/discards")),
  restore: (discard_id: number) =>
    answered(client.POST("/api/discards/{discard_id}/restore", { params: { path: { discard_id } } })),
  setDevelopment: (take_id: number, development: Development | null) =>
    answered(
      client.PUT("/api/takes/{take_id}/development", {
        params: { path: { take_id } },
        body: { development },
      }),
    ),
  tryDevelopment: (take_id: number, frame_id: number, body: Development) =>
    answered<Blob>(
      client.POST("/api/takes/{take_id}/frames/{frame_id}/developed", {
        params: { path: { take_id, frame_id } },
        body,
        parseAs: "blob",
      }),
    ),
  beside: (take_id: number) =>
    answered(client.GET("/api/takes/{take_id}/beside", { params: { path: { take_id } } })),
  planRepair: (take_id: number, after: string) =>
    answered(
      client.POST("/api/takes/{take_id}/repair-plan", { params: { path: { take_id } }, body: { after } }),
    ),
  cards: () => answered(client.GET("/api/cards")),
  beginCard: (name: string) => answered(client.POST("/api/cards", { body: { name } })),
  card: (card_id: number) => answered(client.GET("/api/cards/{card_id}", { params: { path: { card_id } } })),
  addCardFile: (card_id: number, name: string, file: File) =>
    answered(
      client.PUT("/api/cards/{card_id}/files", {
        params: { path: { card_id }, query: { name } },
        ...asItIs(file),
      }),
    ),
  lookAtCard: (card_id: number) =>
    answered(client.POST("/api/cards/{card_id}/look", { params: { path: { card_id } } })),
  fetchFolder: (card_id: number, folder: string) =>
    answered(client.PUT("/api/cards/{card_id}/folder", { params: { path: { card_id } }, body: { folder } })),
  setBorders: (card_id: number, add: number[], remove: number[]) =>
    answered(
      client.PUT("/api/cards/{card_id}/borders", { params: { path: { card_id } }, body: { add, remove } }),
    ),
  leaveFilesOut: (card_id: number, files: number[], reason?: string) =>
    answered(
      client.PUT("/api/cards/{card_id}/left-out", {
        params: { path: { card_id } },
        body: { files, ...(reason ? { reason } : {}) } as Schemas["LeftOutEntry"],
      }),
    ),
  takeFilesBack: (card_id: number, files: number[]) =>
    answered(
      client.PUT("/api/cards/{card_id}/taken-back", { params: { path: { card_id } }, body: { files } }),
    ),
  setGoes: (card_id: number, first: number, stack_id: number | null) =>
    answered(
      client.PUT("/api/cards/{card_id}/stacks/{first}/goes", {
        params: { path: { card_id, first } },
        body: { stack_id },
      }),
    ),
  acceptStacks: (card_id: number, stacks: number[]) =>
    answered(client.POST("/api/cards/{card_id}/accept", { params: { path: { card_id } }, body: { stacks } })),
  /** Send one original as it is. */
  addFile: (take_id: number, file: File) =>
    answered(
      client.PUT("/api/takes/{take_id}/frames/{name}", {
        params: { path: { take_id, name: file.name } },
        ...asItIs(file),
      }),
    ),
};
