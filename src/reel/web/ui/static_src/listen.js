// Listening on the Sound page: blocks of samples are played one after the other, a little after they come. What is
// chosen and what plays outlives the page's parts, which are drawn anew when something is set.
document.addEventListener("alpine:init", () => {
  const HEAD = 16; // four numbers of 32 bits: length in bytes, age in ms, samples a second, channels
  const EARLIEST_S = 0.12, LATEST_S = 0.6; // a block is played this long after it came at the earliest, and at the latest
  let context = null;
  Alpine.store("listening", { what: "", behind: null });

  const play = (block, state) => {
    const view = new DataView(block.buffer, block.byteOffset);
    const [length, age, rate, channels] = [0, 4, 8, 12].map((at) => view.getUint32(at, true));
    const count = length / 2 / channels, buffer = context.createBuffer(channels, count, rate);
    for (let channel = 0; channel < channels; channel += 1) {
      const samples = buffer.getChannelData(channel);
      for (let place = 0; place < count; place += 1) samples[place] = view.getInt16(HEAD + (place * channels + channel) * 2, true) / 32768;
    }
    const now = context.currentTime;
    if (state.at < now + 0.02 || state.at > now + LATEST_S) state.at = now + EARLIEST_S; // it fell behind, or clocks went apart
    const source = context.createBufferSource();
    source.buffer = buffer;
    source.connect(context.destination);
    source.start(state.at);
    Alpine.store("listening").behind = age / 1000 + state.at - now + (context.outputLatency || 0);
    state.at += count / rate;
  };

  let state = { at: 0 };
  wire.onSound = (data) => { if (context) play(new Uint8Array(data), state); };

  const listen = (what) => {
    Object.assign(Alpine.store("listening"), { what, behind: null });
    wire.listen(what);
    if (!what) { context?.close(); context = null; return; }
    context ??= new AudioContext();
    context.resume();
    state = { at: 0 };
  };

  Alpine.data("listen", () => ({
    init() { const select = this.$root.querySelector("select"); if (select) select.value = Alpine.store("listening").what; },
    choose(event) { listen(event.target.value); },
    get words() {
      const { what, behind } = Alpine.store("listening");
      if (!what) return "";
      return behind === null ? "Nothing is heard yet." : `You hear it ${behind.toFixed(1)} s late. A microphone hears loudspeakers: use headphones.`;
    },
    get quiet() { return !this.words; },
  }));
});
