import type { components } from "./schema";

/** A refusal by the server: one sentence, and the entries it belongs to. */
export class Refusal extends Error {
  constructor(
    message: string,
    readonly fields: ReadonlyArray<{ field: string; message: string }> = [],
    /** Nobody answered: the same request may succeed later. */
    readonly silent = false,
  ) {
    super(message);
  }

  /** Somebody else changed it since it was read. */
  get stale(): boolean {
    return this.fields.some((one) => one.field === "revision");
  }

  /** What is wrong with one entry, if anything. */
  at(field: string): string | undefined {
    return this.fields.find((one) => one.field === field || one.field.endsWith(`.${field}`))?.message;
  }
}

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** Wait for an answer; a refusal or a silent server becomes a Refusal with words for the person. */
export async function answered<T>(request: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await request;
  } catch {
    throw new Refusal("The server does not answer. Is it still running? Nothing was changed.", [], true);
  }
  if (answer.data !== undefined) return answer.data;
  if (answer.response.status === 401) for (const tell of signedOut) tell();
  const problem = answer.error as Partial<components["schemas"]["Problem"]> | undefined;
  throw new Refusal(problem?.message ?? `The server refused (${answer.response.status}).`, problem?.fields);
}

const signedOut = new Set<() => void>();

/** Be told when the server answers nobody who has not signed in. Returns how to stop. */
export function onSignedOut(tell: () => void): () => void {
  signedOut.add(tell);
  return () => signedOut.delete(tell);
}
