// What a microphone, or its stand-in, hears: handed to the page in blocks with the frame each begins at.
const BLOCK = 1024;

class Holder extends AudioWorkletProcessor {
  constructor() {
    super();
    this.fresh();
  }

  fresh() {
    this.block = new Float32Array(BLOCK);
    this.filled = 0;
    this.begins = 0;
  }

  process(inputs) {
    const input = inputs[0];
    const sides = input.length;
    const frames = sides ? input[0].length : 128;
    if (this.filled === 0) this.begins = currentFrame;
    for (let n = 0; n < frames; n++) {
      let sum = 0;
      for (let side = 0; side < sides; side++) sum += input[side][n];
      const x = sides ? sum / sides : 0;
      this.block[this.filled++] = Number.isFinite(x) ? x : 0;
    }
    if (this.filled >= BLOCK) {
      this.port.postMessage({ block: this.block, begins: this.begins }, [this.block.buffer]);
      this.fresh();
    }
    return true;
  }
}

registerProcessor("juglant-holder", Holder);
