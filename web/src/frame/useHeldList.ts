import { useRef, useState } from "react";

interface Held<T> {
  one: T;
  gone: boolean;
}

/**
 * A list whose entries keep their places while the pointer is over it: what goes stays where it was, marked, what comes is put
 * behind; so that a press meets what was aimed at. Once the pointer leaves the list is as it is.
 */
export function useHeldList<T extends { id: string }>(now: T[]) {
  const [over, setOver] = useState(false);
  const last = useRef<Held<T>[]>([]);
  let list: Held<T>[] = now.map((one) => ({ one, gone: false }));
  if (over) {
    const there = new Map(now.map((one) => [one.id, one]));
    const kept = last.current.map(({ one }) => ({ one: there.get(one.id) ?? one, gone: !there.has(one.id) }));
    const known = new Set(kept.map(({ one }) => one.id));
    list = [...kept, ...list.filter(({ one }) => !known.has(one.id))];
  }
  last.current = list;
  const pointer = { onPointerEnter: () => setOver(true), onPointerLeave: () => setOver(false) };
  return { list, pointer };
}
