import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export const client = createClient<paths>({ baseUrl: "/" });

/** A file as the whole body of a request. */
export const asItIs = (file: File) => ({
  body: file as unknown as string,
  bodySerializer: (body: unknown) => body as BodyInit,
  headers: { "Content-Type": "application/octet-stream" },
});
