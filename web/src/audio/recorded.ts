export interface Recording {
  sides: Float32Array[];
  sampleRate: number;
}

/** The next `seconds` of what leaves the limiter, left and right; `begun` once it is taken down. */
export function recorded(
  limiter: AudioWorkletNode,
  sampleRate: number,
  seconds: number,
  begun: () => void,
): Promise<Recording> {
  return new Promise((resolve) => {
    const listen = (event: MessageEvent) => {
      if (event.data.recording) begun();
      if (!event.data.recorded) return;
      limiter.port.removeEventListener("message", listen);
      resolve({ sides: event.data.recorded, sampleRate });
    };
    limiter.port.addEventListener("message", listen);
    limiter.port.start();
    limiter.port.postMessage({ record: Math.round(seconds * sampleRate) });
  });
}
