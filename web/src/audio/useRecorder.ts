import { useSyncExternalStore } from "react";
import { Recorder, type RecorderView } from "./recorder";

declare global {
  interface Window {
    /** For measuring what the recorder holds. */
    juglantRecorder?: Recorder;
  }
}

const recorder = new Recorder();
window.juglantRecorder = recorder;
// Whoever leaves takes no microphone along.
window.addEventListener("pagehide", () => recorder.disarm());
window.addEventListener("beforeunload", (event) => {
  if (recorder.view.recording || recorder.view.unkept) event.preventDefault();
});

export function useRecorder(): [Recorder, RecorderView] {
  return [recorder, useSyncExternalStore(recorder.subscribe, recorder.snapshot)];
}
