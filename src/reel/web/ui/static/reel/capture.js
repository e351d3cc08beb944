// Runs beside the page's own script: hands over what a microphone hears and, beside each of its samples, what is played
// meanwhile, with the frame of the context that they begin at.
class Capture extends AudioWorkletProcessor {
  constructor() {
    super();
    this.start();
  }
  start() { this.held = new Int16Array(4096); this.count = 0; }
  process(inputs) {
    if (this.count && currentFrame !== this.at + this.count / 2) this.start(); // it was not asked for a while
    if (!this.count) this.at = currentFrame;
    for (let place = 0; place < 128; place += 1) {
      for (const [channel] of inputs) {
        const sample = Math.max(-1, Math.min(1, channel ? channel[place] : 0)) || 0;
        this.held[this.count++] = Math.max(-32768, Math.min(32767, Math.round(sample * 32768)));
      }
    }
    if (this.count === this.held.length) {
      this.port.postMessage({ at: this.at, data: this.held }, [this.held.buffer]);
      this.start();
    }
    return true;
  }
}
registerProcessor("capture", Capture);
