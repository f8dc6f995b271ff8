// Runs an audio worklet outside a browser: frames of channels in on standard input, the same out.
// node worklet.mjs FILE RATE CHANNELS FRAMES: 32-bit floats, one channel after the other; both sides come out.
import { readFileSync, writeSync } from "node:fs";
import { pathToFileURL } from "node:url";

const BLOCK = 128;
const [file, rate, channels, frames] = process.argv.slice(2);
const count = Number(frames);
let Made;
globalThis.sampleRate = Number(rate);
globalThis.AudioWorkletProcessor = class {
  port = { postMessage: () => undefined };
};
globalThis.registerProcessor = (_name, processor) => {
  Made = processor;
};
await import(pathToFileURL(file));
const made = new Made();
const bytes = readFileSync(0);
const samples = new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength));
const sides = Array.from({ length: Number(channels) }, (_, side) => samples.subarray(side * count, (side + 1) * count));
const out = [new Float32Array(count), new Float32Array(count)];
for (let at = 0; at < count; at += BLOCK) {
  const end = Math.min(count, at + BLOCK);
  made.process([sides.map((side) => side.subarray(at, end))], [out.map((side) => side.subarray(at, end))]);
}
for (const side of out) {
  const left = new Uint8Array(side.buffer);
  for (let at = 0; at < left.length; ) at += writeSync(1, left, at);
}
