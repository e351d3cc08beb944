// The live state of the recorder, kept in an Alpine store that the page's parts read.
const page = document.documentElement;
const ownRoll = (live) => live.rolls.find((roll) => roll.rig_id === Number(page.dataset.rig));
const takesOf = (live) => live.rolls.map((roll) => roll.take_id).sort().join();
const signalOf = (live) => (live.rig ? `${live.rig.signal}|${live.rig.pairing}` : "");
function stateWord(roll) {
  if (!roll) return "Not rolling";
  if (roll.state === "counting") return `Rolls in ${roll.startsIn}`;
  return { holding: "On hold", ending: "Closing", waiting: "Waiting" }[roll.state] ?? (roll.trial ? "Trial" : "Rolling");
}

document.addEventListener("alpine:init", () => {
  Alpine.store("live", JSON.parse(document.getElementById("live-facts").textContent));
  Alpine.data("band", () => ({
    get roll() { return Alpine.store("live").rolls.find((roll) => roll.take_id === Number(this.$root.dataset.take)) ?? {}; },
    get word() { return stateWord(this.roll); },
    get counting() { return this.roll.state === "counting"; },
    get trouble() { return [this.roll.alarms, this.roll.warning, this.roll.losing].filter(Boolean).join(" · "); },
    get calm() { return !this.trouble; },
    get held() { return this.roll.holding ? "1" : ""; },
    get notHeld() { return !this.roll.holding; },
    get isHeld() { return !!this.roll.holding; },
    get tone() { return this.roll.holding || this.counting ? "is-holding" : ""; },
  }));
  Alpine.data("notice", () => ({
    get text() { return Alpine.store("live").answers ? Alpine.store("live").notice : "The recorder does not answer; it may be starting. Signals are shown as soon as it does."; },
    get none() { return !this.text; },
  }));
  Alpine.data("rig", () => ({
    get rig() { return Alpine.store("live").rig ?? { levels: [], alarms: [] }; },
    get alarms() { return this.rig.alarms ?? []; },
    get warnings() { return this.rig.warnings ?? []; },
    get mendAddress() { return `${this.$el.dataset.address}?input=${this.rig.mendOf ?? 0}`; },
    get noMend() { return !this.rig.mend || this.rolling; },
    get quiet() { return this.alarms.length === 0; },
    get notTesting() { return !this.rig.testing; },
    get untested() { return !this.rig.fieldTest; },
    get roll() { return ownRoll(Alpine.store("live")) ?? {}; },
    get kept() { return this.rig.kept ?? ""; },
    get stateWord() { return stateWord(ownRoll(Alpine.store("live"))); },
    get timecode() { return this.roll.timecode ?? "00:00:00:00"; },
    get problem() { return Alpine.store("live").answers ? this.rig.problem : "The recorder does not answer; it may be starting."; },
    get fine() { return !this.problem; },
    get rolling() { return !!ownRoll(Alpine.store("live")); },
    get idle() { return !this.rolling; },
  }));
  // One channel of the meters; data-channel is its number. 0 dBFS lies at 600 units, −60 at 0.
  Alpine.data("meter", () => ({
    get level() { return (Alpine.store("live").rig?.levels ?? [])[this.$root.dataset.channel] ?? { peak: -60, rms: -60, held: -60 }; },
    get rmsWidth() { return (this.level.rms + 60) * 10; },
    get peakWidth() { return (this.level.peak + 60) * 10; },
    get heldAt() { return Math.max(0, (this.level.held + 60) * 10 - 3); },
    get words() { return this.level.held <= -60 ? "silent" : `peak ${this.level.held.toFixed(1).replace("-", "−")} dBFS`; },
  }));
  // One input's strip on the Sound page; data-place is its place. Louder of its channels, on the meter's scale.
  const scaled = (db) => Math.max(0, Math.min(600, (db + 60) * 10));
  Alpine.data("strip", () => ({
    get input() { return (Alpine.store("live").rig?.inputs ?? [])[this.$root.dataset.place] ?? { before: [], after: [], short: "", clipped: 0, problem: "" }; },
    most(levels, key) { return levels.reduce((most, level) => Math.max(most, level[key]), -60); },
    get before() { return { rms: scaled(this.most(this.input.before, "rms")), peak: scaled(this.most(this.input.before, "peak")) }; },
    get after() { const held = this.most(this.input.after, "held"); return { rms: scaled(this.most(this.input.after, "rms")), peak: scaled(this.most(this.input.after, "peak")), held: Math.max(0, scaled(held) - 3) }; },
    get thick() { return 1.5 + this.after.rms / 600 * 14; },
    get words() { const held = this.most(this.input.after, "held"); return held <= -60 ? "silent" : [`peak ${held.toFixed(1).replace("-", "−")}`, this.input.short].filter(Boolean).join(" · "); },
    get clipped() { return `${this.input.clipped} clipped`; },
    get clean() { return !this.input.clipped; },
    get problem() { return this.input.problem; },
    get fine() { return !this.input.problem; },
    get broken() { return !!this.input.problem; },
  }));
  // The voice over the game: the last 20 seconds, 10 a second; −5 LUFS lies at the top, −65 at the bottom.
  Alpine.data("balance", () => ({
    names: [],
    init() { this.names = JSON.parse(this.$root.dataset.names); },
    get found() { return Alpine.store("live").rig?.balance ?? null; },
    get none() { return !this.found; },
    line(values) {
      const step = 600 / 199, from = 600 - (values.length - 1) * step;
      return values.map((value, place) => `${place ? "L" : "M"}${(from + place * step).toFixed(1)} ${(Math.min(60, Math.max(0, -5 - value)) * 2).toFixed(1)}`).join("");
    },
    get voice() { return this.line(this.found?.voice ?? []); },
    get game() { return this.line(this.found?.game ?? []); },
    get voiceName() { return this.names[this.found?.voiceOf] ?? ""; },
    get gameName() { return this.names[this.found?.gameOf] ?? ""; },
    get settled() { return !this.found?.tooLoud; },
    get unsettled() { return !this.settled; },
    get verdict() {
      const by = Math.abs(this.found?.tooLoud ?? 0).toFixed(1);
      return this.found?.tooLoud > 0 ? `${this.gameName} is ${by} dB too loud under the voice.` : `${this.gameName} could be ${by} dB louder under the voice.`;
    },
    get figures() {
      const found = this.found;
      if (!found || found.gap === null) return "Speak for a few seconds: then the gap between the voice and what it is spoken over stands here.";
      const gap = Math.abs(found.gap).toFixed(1);
      return `The voice lies ${gap} LU ${found.gap < 0 ? "below" : "above"} it while somebody speaks; 10 is easy to follow.`;
    },
    get offer() { return `Set ${this.gameName} ${Math.abs(this.found?.tooLoud ?? 0).toFixed(1)} dB ${this.found?.tooLoud > 0 ? "lower" : "higher"}`; },
  }));
  // A sync test: each clap a stroke where it puts a sound against the picture, on one scale for all.
  const tested = () => Alpine.store("live").rig?.sync ?? null;
  const reach = () => {
    const most = Object.values(tested()?.inputs ?? {}).flatMap((one) => one.claps).reduce((most, clap) => Math.max(most, Math.abs(clap)), 0);
    return [50, 100, 200, 500, 1000].find((step) => most <= step) ?? 2000;
  };
  const across = (ms) => (150 + ms / reach() * 150).toFixed(1);
  const signed = (ms) => String(ms).replace("-", "−");
  Alpine.data("steps", () => ({
    said: "",
    init() { this.said = this.$root.querySelector("[role=status]").textContent; },
    get busy() { return !!tested()?.left; },
    get words() {
      const test = tested();
      if (!test) return this.said;
      if (test.left) return `Clap now: ${test.flashes} flashes seen, ${Math.ceil(test.left)} s left.`;
      const missed = Object.values(test.inputs).every((one) => one.offset === null);
      return missed ? `${test.flashes} flashes were seen and no three claps agree. Clap nearer, with a brighter light and a sharper click.` : "Each stroke is a clap. A picture shows a flash up to one picture late, so that more claps say it finer.";
    },
    get settled() {
      const rows = [...this.$root.querySelectorAll("[data-place]")];
      return this.busy || rows.every((row) => { const one = tested()?.inputs[row.dataset.place]; return !one || one.delay === null || one.delay === Number(row.dataset.delay); });
    },
    get low() { return signed(-reach()); },
    get high() { return String(reach()); },
  }));
  Alpine.data("step", () => ({
    get one() { return tested()?.inputs[this.$root.dataset.place] ?? null; },
    get delay() { return Number(this.$root.dataset.delay); },
    get claps() { return (this.one?.claps ?? []).map((clap) => `M${across(clap)} 5V15`).join(""); },
    get found() { return this.one && this.one.offset !== null ? `M${across(this.one.offset)} 1V19` : ""; },
    get words() {
      const one = this.one;
      if (!one) return "not tested";
      if (one.offset === null) return one.clicks ? `${one.clicks} clicks, no three agree` : "no click heard";
      const off = one.delay ? `${Math.abs(one.offset)} ms ${one.offset > 0 ? "late" : "early"}` : "in step";
      return one.delay && one.delay === this.delay ? `${off}: made up for` : `${off}, ± ${one.within}`;
    },
    get settled() { return !this.one || !!tested()?.left || this.one.delay === null || this.one.delay === this.delay; },
    get offer() { return this.one?.delay ? `Set its delay to ${signed(this.one.delay)} ms` : "Set its delay to 0 ms"; },
  }));
  // Looking for black bars: what is found comes with the page's part once it is over.
  Alpine.data("bars", () => ({
    get rig() { return Alpine.store("live").rig ?? {}; },
    get busy() { return !!this.rig.finding; },
    said: "",
    init() { this.said = this.$root.querySelector("[role=status]").textContent; },
    get words() { return this.busy ? "Looking for four seconds; let something bright be seen." : this.said; },
  }));
  // Guides over the picture: the page draws them, nothing of them is recorded. Safe areas as SMPTE ST 2046-1 has them.
  Alpine.store("guides", { thirds: false, safe: false, centre: false, ...JSON.parse(localStorage.getItem("reel-guides") ?? "{}") });
  Alpine.data("guides", () => ({
    get shown() { return Alpine.store("guides"); },
    get thirds() { return String(this.shown.thirds); },
    get safe() { return String(this.shown.safe); },
    get centre() { return String(this.shown.centre); },
    get noThirds() { return !this.shown.thirds; },
    get noSafe() { return !this.shown.safe; },
    get noCentre() { return !this.shown.centre; },
    turn(event) {
      const guide = event.target.dataset.guide;
      this.shown[guide] = !this.shown[guide];
      localStorage.setItem("reel-guides", JSON.stringify({ thirds: this.shown.thirds, safe: this.shown.safe, centre: this.shown.centre }));
    },
  }));
});

const title = document.title;
let signal = "";
// A pause in speech is none in the sound: only after so long nothing is heard.
const PAUSE_MS = 10000;
let heard = false, soundedAt = 0;
let finding = false;
let rollingTakes = "";
const untold = new Set();

function show(live) {
  Alpine.store("live", live);
  const roll = live.rolls[0];
  document.title = roll ? `${roll.holding ? "On hold" : "Rolling"} ${roll.timecode} · ${title}` : title;
  const icon = document.querySelector("link[rel=icon]");
  const wanted = roll ? icon.dataset.rolling : icon.dataset.idle;
  if (icon.getAttribute("href") !== wanted) icon.setAttribute("href", wanted);
  const now = signalOf(live);
  if (now !== signal) untold.add("signal-changed");
  signal = now;
  if (live.rig?.heard) soundedAt = Date.now();
  const sounds = Date.now() - soundedAt < PAUSE_MS;
  if (sounds !== heard) untold.add("heard-changed");
  heard = sounds;
  const looks = !!live.rig?.finding;
  if (finding && !looks) untold.add("bars-changed");
  finding = looks;
  const arranged = live.rig?.arrangement;
  for (const stub of document.querySelectorAll("[data-place].stub")) stub.classList.toggle("is-live", Number(stub.dataset.place) === arranged);
  cue(live);
  const takes = takesOf(live);
  if (takes !== rollingTakes) untold.add("roll-changed");
  rollingTakes = takes;
  tellChanges();
}

// What is just being fetched is replaced, and what it would be asked meanwhile is lost with it: that waits.
function tellChanges() {
  for (const name of untold) {
    if (document.querySelector(`[hx-trigger*="${name}"].htmx-request`)) continue;
    untold.delete(name);
    htmx.trigger(document.body, name);
  }
}

// A short tone where a take begins or ends, on the page of its rig, where that is asked for. Nothing of it is recorded.
let wasRolling = null;
function cue(live) {
  const roll = ownRoll(live);
  const rolls = !!roll && roll.state === "rolling";
  if (wasRolling !== null && rolls !== wasRolling && document.getElementById("cue") && (!roll || roll.state !== "holding")) {
    const context = new AudioContext(), tone = context.createOscillator(), level = context.createGain();
    tone.frequency.value = rolls ? 880 : 440;
    level.gain.value = 0.15;
    tone.connect(level).connect(context.destination);
    tone.start();
    tone.stop(context.currentTime + 0.12);
    tone.onended = () => context.close();
  }
  wasRolling = rolls;
}

// One WebSocket a page: how things stand, the picture, and what is listened to. It begins again by itself after a
// restart or a sleep, and while nobody sees the page it carries only what its title needs.
const wire = {
  socket: null, tries: 0, heardAt: 0, listens: "", onSound: () => {},
  connect() {
    const { rig, input } = page.dataset, asked = new URLSearchParams(rig ? { rig, input } : {});
    if (document.getElementById("desk")) asked.set("desk", "1");
    const socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/live/?${asked}`);
    socket.binaryType = "arraybuffer";
    socket.onopen = () => { wire.tries = 0; wire.tell(); };
    socket.onmessage = ({ data }) => {
      wire.heardAt = Date.now();
      if (typeof data === "string") show(JSON.parse(data));
      else if (new Uint8Array(data, 0, 1)[0] === 80) showPicture(new Blob([new Uint8Array(data, 9)], { type: "image/jpeg" })); // "P"
      else wire.onSound(data.slice(1));
    };
    socket.onclose = () => { if (wire.socket === socket) wire.again(); };
    wire.socket = socket;
    wire.heardAt = Date.now();
  },
  again() {
    wire.close();
    wire.tries += 1;
    if (wire.tries > 2 && Alpine.store("live").answers) show({ ...Alpine.store("live"), answers: false });
    setTimeout(() => { if (!wire.socket) wire.connect(); }, Math.min(5000, 400 * wire.tries));
  },
  close() { const { socket } = wire; wire.socket = null; socket?.close(); },
  tell() { if (wire.socket?.readyState === WebSocket.OPEN) wire.socket.send(JSON.stringify({ seen: !document.hidden, listen: wire.listens })); },
  listen(what) { wire.listens = what; wire.tell(); },
};
setInterval(() => { if (wire.socket && Date.now() - wire.heardAt > 8000) wire.again(); }, 2000);

const shown = new WeakMap();
function showPicture(blob) {
  for (const image of document.querySelectorAll("img[data-live]")) {
    const before = shown.get(image), now = performance.now();
    if (before && !image.complete && now - before.at < 500) continue; // it is still being drawn: this one is left out
    const address = URL.createObjectURL(blob);
    shown.set(image, { address, at: now });
    image.src = address;
    if (before) URL.revokeObjectURL(before.address);
  }
}

document.addEventListener("DOMContentLoaded", () => {
  const facts = JSON.parse(document.getElementById("live-facts").textContent);
  rollingTakes = takesOf(facts);
  signal = signalOf(facts); // what the page was made with
  heard = !!facts.rig?.heard;
  if (heard) soundedAt = Date.now();
  wire.connect();
  document.addEventListener("visibilitychange", () => { if (document.hidden || wire.socket) wire.tell(); else wire.connect(); });
  addEventListener("pagehide", () => wire.close());
  addEventListener("pageshow", (event) => { if (event.persisted) location.reload(); });
  document.querySelector(".stage.is-open")?.scrollIntoView({ block: "nearest", inline: "center" });
});
