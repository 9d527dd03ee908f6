import { answered } from "./answered";
import { asItIs, client, type Schemas } from "./client";

/** Calls of the places that go across stacks: the day, the ledger, lists and packages, the queue. */
export const places = {
  hands: () => answered(client.GET("/api/hands")),
  day: (on: string) => answered(client.GET("/api/days/{on}", { params: { path: { on } } })),
  changeDay: (on: string, body: Schemas["DayEntry"]) =>
    answered(client.PUT("/api/days/{on}", { params: { path: { on } }, body })),
  orderDay: (on: string, seen: number) =>
    answered(client.POST("/api/days/{on}/order", { params: { path: { on }, query: { seen } } })),
  ledger: (query: Record<string, unknown>) =>
    answered(client.GET("/api/ledger", { params: { query: query as never } })),
  ledgerHead: () => answered(client.GET("/api/ledger/head")),
  ledgerPlot: (query: Record<string, unknown>) =>
    answered(client.GET("/api/ledger/plot", { params: { query: query as never } })),
  ledgerViews: () => answered(client.GET("/api/ledger/views")),
  saveLedgerView: (name: string, search: string) =>
    answered(client.POST("/api/ledger/views", { body: { name, search } })),
  forgetLedgerView: (view_id: number) =>
    answered(client.DELETE("/api/ledger/views/{view_id}", { params: { path: { view_id } } })),
  trySpecimenList: (file: File, kind: string, entry?: string[]) =>
    answered(
      client.POST("/api/specimen-lists/tried", { params: { query: { kind, entry } }, ...asItIs(file) }),
    ),
  bringSpecimenList: (file: File, kind: string, entry: string[]) =>
    answered(client.POST("/api/specimen-lists", { params: { query: { kind, entry } }, ...asItIs(file) })),
  packages: (merge_id: number) =>
    answered(client.GET("/api/merges/{merge_id}/packages", { params: { path: { merge_id } } })),
  beginPackage: (merge_id: number) =>
    answered(client.POST("/api/merges/{merge_id}/packages", { params: { path: { merge_id } } })),
  delivery: (key: string) =>
    answered(client.GET("/api/packages/received/{key}", { params: { path: { key } } })),
  bringPackage: (key: string, body: Schemas["BringEntry"]) =>
    answered(client.POST("/api/packages/received/{key}/brought", { params: { path: { key } }, body })),
  practice: () => answered(client.GET("/api/practice")),
  beginExercise: (body: Schemas["AttemptEntry"]) => answered(client.POST("/api/practice/attempts", { body })),
  exercise: (attempt_id: number) =>
    answered(client.GET("/api/practice/attempts/{attempt_id}", { params: { path: { attempt_id } } })),
  answerExercise: (attempt_id: number, answer: Schemas["AnswerEntry"]["answer"]) =>
    answered(
      client.POST("/api/practice/attempts/{attempt_id}/answer", {
        params: { path: { attempt_id } },
        body: { answer },
      }),
    ),
  checkExercises: (body: Schemas["SetFile"]) => answered(client.POST("/api/practice/sets", { body })),
  orderQueue: (task_ids: number[]) => answered(client.PUT("/api/queue/order", { body: { task_ids } })),
  held: () => answered(client.GET("/api/queue/hold")),
  hold: (reason: Schemas["HoldEntry"]["reason"], until?: string) =>
    answered(client.PUT("/api/queue/hold", { body: { reason, until } })),
  letGo: () => answered(client.DELETE("/api/queue/hold")),
  queue: () => answered(client.GET("/api/queue")),
};
