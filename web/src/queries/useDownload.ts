import { useState } from "react";
import { longWorkBegins } from "./useRunning";

const NAMED = /filename\*?=(?:utf-8'')?"?([^";]+)"?/i;

export interface Download {
  /** What is known of it: nothing was asked for, it is made, it has come, or why it has not. */
  state: "idle" | "under way" | "done" | "failed";
  said: string;
  get: (address: string) => Promise<void>;
}

/** A file handed to the browser under a name. */
export function handOver(file: Blob, name: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(file);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000);
}

/** A file that the server makes, which takes seconds: it is said while it is made, once it is handed over, and where it failed. */
export function useDownload(): Download {
  const [now, setNow] = useState<Pick<Download, "state" | "said">>({ state: "idle", said: "" });
  const get = async (address: string) => {
    setNow({ state: "under way", said: "Rendering and packing…" });
    longWorkBegins();
    try {
      const answer = await fetch(address);
      if (!answer.ok) {
        const problem = await answer.json().catch(() => null);
        throw new Error(problem?.detail ?? "the server refused it");
      }
      const file = await answer.blob();
      const encoded = NAMED.exec(answer.headers.get("content-disposition") ?? "")?.[1] ?? "download.zip";
      const name = decodeURIComponent(encoded);
      handOver(file, name);
      setNow({ state: "done", said: `${name} is handed to your browser: ${(file.size / 1e6).toFixed(1)} MB` });
    } catch (error) {
      const why = error instanceof TypeError ? "the server does not answer" : (error as Error).message;
      setNow({ state: "failed", said: `It was not made: ${why} Nothing is lost; ask again.` });
    }
  };
  return { ...now, get };
}
