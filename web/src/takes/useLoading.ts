import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { ApiError, api, type TakeChoice } from "../api/client";
import type { LoadedTake } from "../api/types";
import { useNotices } from "../frame/notices";
import { recordingsQuery, takesQuery } from "../queries/queries";
import { proposedUse, type Use } from "./uses";

/** One file on its way: read, asked about, or refused. */
export interface Loading {
  key: number;
  file: File;
  state: "reading" | "ready" | "too long" | "too many channels" | "refused";
  message: string;
  take: LoadedTake | null;
  use: Use;
  /** Where the part of a long file begins at the latest, and where it is loudest, s. */
  lastS: number;
  loudestS: number;
}

const LARGEST_BYTES = 400_000_000;
const numbers = (text: string) => (text.match(/[\d.]+/g) ?? []).map(Number);

/** Files that were dropped or chosen, each read by the server at once. */
export function useLoading() {
  const [files, setFiles] = useState<Loading[]>([]);
  const next = useRef(1);
  const cache = useQueryClient();
  const { say } = useNotices();
  const change = useCallback(
    (key: number, made: Partial<Loading>) =>
      setFiles((all) => all.map((one) => (one.key === key ? { ...one, ...made } : one))),
    [],
  );

  const read = useCallback(
    async (key: number, file: File, choice: TakeChoice) => {
      change(key, { state: "reading", message: "" });
      if (file.size > LARGEST_BYTES) {
        change(key, {
          state: "refused",
          message: `This file has ${Math.round(file.size / 1e6)} MB; at most 400 MB are read. Export the part you need.`,
        });
        return;
      }
      try {
        const take = await api.loadTake(file, choice);
        void cache.invalidateQueries({ queryKey: takesQuery().queryKey });
        setFiles((all) => {
          const taken = all.filter((one) => one.state === "ready").map((one) => one.use);
          return all.map((one) =>
            one.key === key
              ? {
                  ...one,
                  state: "ready",
                  take,
                  message: take.notes.join("; "),
                  use: proposedUse(file.name, taken, take.read?.role),
                }
              : one,
          );
        });
      } catch (error) {
        const type = error instanceof ApiError ? error.type : "";
        const message = error instanceof Error ? error.message : String(error);
        const field = (name: string) =>
          error instanceof ApiError ? error.fields.find((one) => one.field === name)?.message : undefined;
        if (type === "juglant:take-too-long") {
          const lastS = numbers(field("from_s") ?? "").at(-1) ?? 0;
          change(key, { state: "too long", message, lastS, loudestS: numbers(field("loudest_s") ?? "")[0] ?? 0 });
        } else if (type === "juglant:too-many-channels") change(key, { state: "too many channels", message });
        else change(key, { state: "refused", message });
      }
    },
    [change, cache],
  );

  const add = useCallback(
    (list: File[]) => {
      for (const file of list) {
        const key = next.current++;
        const use: Use = { as: "hit", role: "percussion" };
        const made: Loading = {
          ...{ key, file, state: "reading", message: "", take: null, use, lastS: 0, loudestS: 0 },
        };
        setFiles((all) => [...all, made]);
        void read(key, file, {});
      }
    },
    [read],
  );

  /** A sound that was loaded before, once more: nothing is read. */
  const again = useCallback((take: LoadedTake) => {
    setFiles((all) => {
      const taken = all.filter((one) => one.state === "ready").map((one) => one.use);
      const made: Loading = {
        key: next.current++,
        file: new File([], take.name),
        state: "ready",
        message: "",
        take,
        use: proposedUse(take.name, taken, take.read?.role),
        lastS: 0,
        loudestS: 0,
      };
      return [...all, made];
    });
  }, []);

  /** A long file kept whole beside the takes; it leaves the list. */
  const keepLong = useCallback(
    async (key: number, file: File) => {
      change(key, { state: "reading", message: "" });
      try {
        const made = await api.loadRecording(file);
        await cache.invalidateQueries({ queryKey: recordingsQuery().queryKey });
        setFiles((all) => all.filter((one) => one.key !== key));
        say({ text: `${made.name} is a long recording now, among the takes: cut what is good of it.` });
      } catch (error) {
        change(key, { state: "refused", message: error instanceof Error ? error.message : String(error) });
      }
    },
    [change, cache, say],
  );

  // Dropped anywhere on the page.
  useEffect(() => {
    const over = (event: DragEvent) => {
      if (event.dataTransfer?.types.includes("Files")) event.preventDefault();
    };
    const drop = (event: DragEvent) => {
      const list = [...(event.dataTransfer?.files ?? [])];
      if (list.length === 0) return;
      event.preventDefault();
      add(list);
    };
    window.addEventListener("dragover", over);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener("dragover", over);
      window.removeEventListener("drop", drop);
    };
  }, [add]);

  const drop = useCallback((key: number) => setFiles((all) => all.filter((one) => one.key !== key)), []);
  const clear = useCallback(() => setFiles([]), []);
  return { files, add, again, read, keepLong, change, drop, clear };
}
