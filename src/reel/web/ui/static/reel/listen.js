// Listening on the Sound page: blocks of samples are played one after the other, a little after they come. What is
// chosen and what plays outlives the page's parts, which are drawn anew when something is set.
document.addEventListener("alpine:init", () => {
  const HEAD = 16; // four numbers of 32 bits: length in bytes, age in ms, samples a second, channels
  const EARLIEST_S = 0.12, LATEST_S = 0.6; // a block is played this long after it came at the earliest, and at the latest
  let context = null, stop = null;
  Alpine.store("listening", { what: "", behind: null, failed: false });

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

  const read = async (address, signal) => {
    const reader = (await fetch(address, { signal })).body.getReader(), state = { at: 0 };
    let held = new Uint8Array(0);
    for (;;) {
      const { done, value } = await reader.read();
      if (done) throw new Error("it has ended");
      const joined = new Uint8Array(held.length + value.length);
      joined.set(held);
      joined.set(value, held.length);
      held = joined;
      while (held.length >= HEAD) {
        const whole = HEAD + new DataView(held.buffer, held.byteOffset).getUint32(0, true);
        if (held.length < whole) break;
        play(held.subarray(0, whole), state);
        held = held.slice(whole);
      }
    }
  };

  const listen = (what) => {
    stop?.abort();
    Object.assign(Alpine.store("listening"), { what, behind: null, failed: false });
    if (!what) { context?.close(); context = null; return; }
    context ??= new AudioContext();
    context.resume();
    stop = new AbortController();
    const { signal } = stop;
    read(`/roll/sound/${document.documentElement.dataset.rig}/${what}/`, signal).catch(() => { if (!signal.aborted) Object.assign(Alpine.store("listening"), { what: "", failed: true }); });
  };

  Alpine.data("listen", () => ({
    init() { const select = this.$root.querySelector("select"); if (select) select.value = Alpine.store("listening").what; },
    choose(event) { listen(event.target.value); },
    get words() {
      const { what, behind, failed } = Alpine.store("listening");
      if (failed) return "The sound has stopped; choose it again.";
      if (!what) return "";
      return behind === null ? "Nothing is heard yet." : `You hear it ${behind.toFixed(1)} s late. A microphone hears loudspeakers: use headphones.`;
    },
    get quiet() { return !this.words; },
  }));
  addEventListener("pagehide", () => stop?.abort());
});
