// Hands on what the microphone hears, 128 samples at a time.
registerProcessor(
  "recorder",
  class extends AudioWorkletProcessor {
    process(inputs) {
      if (inputs[0][0]) this.port.postMessage(inputs[0][0].slice());
      return true;
    }
  },
);
