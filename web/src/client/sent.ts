import { Refusal } from "./answered";
import type { Schemas } from "./client";

/** How far a file is on its way, MB. */
export interface Sent {
  done: number;
  total: number;
  secondsLeft: number | null;
}

/** Send one large file as the body of a request, and tell how far it is: `fetch` tells nothing of that. */
export function sent<T>(
  address: string,
  file: File,
  onChange: (sent: Sent) => void,
  stopped: AbortSignal,
): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    const began = performance.now();
    request.open("POST", address);
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.responseType = "json";
    request.upload.onprogress = ({ loaded, total }) => {
      const each = (performance.now() - began) / 1000 / Math.max(loaded, 1);
      onChange({
        done: Math.round(loaded / 1e6),
        total: Math.max(1, Math.round(total / 1e6)),
        secondsLeft: each * (total - loaded),
      });
    };
    request.onload = () => {
      if (request.status < 300) return resolve(request.response as T);
      const problem = request.response as Partial<Schemas["Problem"]> | null;
      reject(new Refusal(problem?.message ?? `The server refused (${request.status}).`, problem?.fields));
    };
    request.onerror = () =>
      reject(new Refusal("The sending broke off. Nothing was changed: choose it again."));
    request.onabort = () => reject(new Refusal("Stopped: nothing was brought in."));
    stopped.addEventListener("abort", () => request.abort());
    request.send(file);
  });
}
