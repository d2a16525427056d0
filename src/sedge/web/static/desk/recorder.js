// Records from the microphone into a WAV file (16 bit, one channel) and puts it into the form's
// file field.
export const recorder = () => ({
  words: "Record audio",
  told: "",
  made: false,
  chunks: [],
  async toggle() {
    if (this.stream) return this.stop();
    try {
      this.stream = await navigator.mediaDevices.getUserMedia({ audio: true });
    } catch {
      this.told = "The browser lets no page listen. Allow the microphone, or choose a file.";
      return;
    }
    this.audio = new AudioContext();
    const worklet = new URL("../desk/recorder-worklet.js", import.meta.url);
    await this.audio.audioWorklet.addModule(worklet);
    this.chunks = [];
    this.node = new AudioWorkletNode(this.audio, "recorder");
    this.node.port.onmessage = (event) => this.heard(event.data);
    this.audio.createMediaStreamSource(this.stream).connect(this.node);
    this.words = "Stop";
    this.told = "Recording…";
  },
  // Told once a second, not with each of some 375 pieces.
  heard(chunk) {
    this.chunks.push(chunk);
    const seconds = Math.floor((this.chunks.length * 128) / this.audio.sampleRate);
    if (seconds) this.told = "Recording… " + seconds + " s";
  },
  async stop() {
    this.stream.getTracks().forEach((track) => track.stop());
    this.stream = null;
    this.node.port.onmessage = null;
    const rate = this.audio.sampleRate;
    await this.audio.close();
    const file = new File([wav(this.chunks, rate)], "recorded.wav", { type: "audio/wav" });
    const held = new DataTransfer();
    held.items.add(file);
    this.$root.querySelector("input[type=file]").files = held.files;
    this.$refs.listen.src = URL.createObjectURL(file);
    this.made = true;
    this.words = "Record again";
    this.told =
      ((this.chunks.length * 128) / rate).toFixed(1) + " s recorded. Listen to it, then keep it.";
  },
});

function wav(chunks, rate) {
  const count = chunks.reduce((sum, chunk) => sum + chunk.length, 0);
  const view = new DataView(new ArrayBuffer(44 + count * 2));
  const text = (at, words) =>
    [...words].forEach((letter, i) => view.setUint8(at + i, letter.charCodeAt(0)));
  text(0, "RIFF");
  view.setUint32(4, 36 + count * 2, true);
  text(8, "WAVEfmt ");
  view.setUint32(16, 16, true);
  view.setUint16(20, 1, true);
  view.setUint16(22, 1, true);
  view.setUint32(24, rate, true);
  view.setUint32(28, rate * 2, true);
  view.setUint16(32, 2, true);
  view.setUint16(34, 16, true);
  text(36, "data");
  view.setUint32(40, count * 2, true);
  let at = 44;
  for (const chunk of chunks) {
    for (const sample of chunk) {
      view.setInt16(at, Math.max(-1, Math.min(1, sample)) * 0x7fff, true);
      at += 2;
    }
  }
  return view;
}
