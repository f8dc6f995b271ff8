import { useEffect, useState } from "react";
import type { Input } from "./usePlayIn";

/** MIDI inputs where the browser has them, once they are asked for; messages of the chosen one are passed on. */
export function useMidi(
  wanted: boolean,
  device: string,
  onMessage: (data: ArrayLike<number>, lateMs: number) => void,
) {
  const [inputs, setInputs] = useState<Input[]>([]);
  const [missing, setMissing] = useState(false);
  const [access, setAccess] = useState<MIDIAccess | null>(null);
  useEffect(() => {
    if (!wanted || access || missing) return;
    const ask = navigator.requestMIDIAccess?.();
    if (!ask) {
      setMissing(true);
      return;
    }
    let here = true;
    ask.then(
      (found) => here && setAccess(found),
      () => here && setMissing(true),
    );
    return () => {
      here = false;
    };
  }, [wanted, access, missing]);
  useEffect(() => {
    if (!access) return;
    const list = () =>
      setInputs([...access.inputs.values()].map((one) => ({ id: one.id, name: one.name ?? "MIDI device" })));
    list();
    access.addEventListener("statechange", list);
    return () => access.removeEventListener("statechange", list);
  }, [access]);
  useEffect(() => {
    const input = access?.inputs.get(device);
    if (!input || !wanted) return;
    const listen = (event: MIDIMessageEvent) =>
      event.data && onMessage(event.data, performance.now() - event.timeStamp);
    input.addEventListener("midimessage", listen);
    return () => input.removeEventListener("midimessage", listen);
  }, [access, device, wanted, onMessage]);
  return { inputs, missing };
}
