const LENGTH_S = 0.03;
const FIRST_HZ = 1600;
const OTHER_HZ = 1100;
const LEVEL = 0.25;

/** Clicks on so many beats from a time on, the first of four higher; the returned end silences what is left of them. */
export function countIn(
  context: AudioContext,
  entry: AudioNode,
  from: number,
  bpm: number,
  beats: number,
): () => void {
  const all = new GainNode(context);
  all.connect(entry);
  const tones = Array.from({ length: beats }, (_, beat) => {
    const at = from + (beat * 60) / bpm;
    const tone = new OscillatorNode(context, { frequency: beat % 4 === 0 ? FIRST_HZ : OTHER_HZ });
    const fade = new GainNode(context, { gain: 0 });
    fade.gain.setValueAtTime(0, at);
    fade.gain.linearRampToValueAtTime(LEVEL, at + 0.002);
    fade.gain.setTargetAtTime(0, at + 0.004, LENGTH_S / 4);
    tone.connect(fade).connect(all);
    tone.start(at);
    tone.stop(at + LENGTH_S);
    return tone;
  });
  const last = tones.at(-1);
  if (last) last.onended = () => all.disconnect();
  return () => all.disconnect();
}
