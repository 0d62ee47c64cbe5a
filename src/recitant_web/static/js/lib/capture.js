// An audio worklet that hands on what the microphone hears, block by block, with the frame it began at.
registerProcessor(
  "capture",
  class extends AudioWorkletProcessor {
    process([input]) {
      if (input.length) this.port.postMessage({ frame: currentFrame, samples: input[0].slice() });
      return true;
    }
  },
);
