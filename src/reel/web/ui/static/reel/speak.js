// Speaking over a take: the take plays through the same audio clock that the microphone is heard by, and what is played
// is kept beside what is heard, so that the server finds where in the take it lies. How late the microphone is was
// measured by clicks.
import { post, said } from "./post.js";
import { video } from "./take.js";

const place = document.querySelector("[data-speak]"), at = (name) => place.querySelector(`[data-${name}]`);
const LATE = "reel-microphone-late", PIECE = 48_000, TAIL_MS = 400, FLOOR_DB = -60, MOST_BLOCKS = 256, READY_MS = 5000;
const CLICKS_S = [0, 0.37, 0.81, 1.18, 1.7, 2.05, 2.6, 2.93];
const sleep = (ms) => new Promise((done) => setTimeout(done, ms));
const middle = (numbers) => numbers.toSorted((a, b) => a - b)[Math.floor(numbers.length / 2)];
let context = null, take = null, highest = 0;

function tell(text, wrong) {
  at("said").textContent = text;
  at("said").classList.toggle("loss", !!wrong);
}
function meter() {
  const level = Math.max(FLOOR_DB, 20 * Math.log10(highest || 1e-6));
  highest = 0;
  at("level").setAttribute("width", `${(1 - level / FLOOR_DB) * 100}%`);
  at("level-figure").textContent = level > FLOOR_DB ? `${level.toFixed(0)} dBFS` : "silent";
}
async function open() {
  if (context) return context.resume();
  const microphone = await navigator.mediaDevices.getUserMedia({ audio: { echoCancellation: false, noiseSuppression: false, autoGainControl: false, channelCount: 1 } });
  const opened = new AudioContext({ latencyHint: "interactive" });
  await opened.audioWorklet.addModule(place.dataset.capture);
  const capture = new AudioWorkletNode(opened, "capture", { numberOfInputs: 2, channelCount: 1, channelCountMode: "explicit" }), silent = opened.createGain();
  silent.gain.value = 0;
  opened.createMediaStreamSource(microphone).connect(capture).connect(silent).connect(opened.destination);
  const played = opened.createMediaElementSource(video());
  played.connect(opened.destination);
  played.connect(capture, 0, 1);
  context = opened;
  capture.port.onmessage = ({ data }) => {
    for (let place = 0; place < data.data.length; place += 2) highest = Math.max(highest, Math.abs(data.data[place]) / 32768);
    take?.hear(data);
  };
  setInterval(meter, 100);
  at("meter").hidden = false;
  return context.resume();
}
// What was heard since it began, put together.
class Heard {
  constructor() { this.first = null; this.blocks = []; this.count = 0; }
  hear({ at: frame, data }) {
    this.first ??= frame;
    const gap = frame - this.first - this.count;
    if (gap > 0) this.blocks.push(new Int16Array(gap * 2)); // what was not heard is silence
    this.blocks.push(data);
    this.count += Math.max(0, gap) + data.length / 2;
  }
  taken() { return new Blob(this.blocks.splice(0, MOST_BLOCKS)); }
}
const late = () => JSON.parse(localStorage.getItem(LATE) ?? "null");
function showLate() {
  const known = late();
  at("late").textContent = known ? `It hears ${known.late_ms} ms late, within ${known.within_ms} ms; what is spoken is moved by that.` : "How late it hears was not measured yet: what is spoken lies by that much too late.";
}
async function measure() {
  tell("Clicks are played.");
  await open();
  const rate = context.sampleRate, click = context.createBuffer(1, 96, rate), heard = new Heard();
  click.getChannelData(0).forEach((_, number, samples) => { samples[number] = Math.random() > 0.5 ? 0.9 : -0.9; });
  take = heard;
  while (heard.first === null) await sleep(20);
  const begin = Math.round((context.currentTime + 0.3) * rate), frames = CLICKS_S.map((one) => begin + Math.round(one * rate));
  for (const frame of frames) {
    const source = context.createBufferSource();
    source.buffer = click;
    source.connect(context.destination);
    source.start(frame / rate);
  }
  while (heard.first + heard.count < frames.at(-1) + 1.2 * rate) await sleep(50);
  take = null;
  const played = frames.map((frame) => frame - heard.first).join(",");
  const answer = await post(`${place.dataset.late}?rate_hz=${rate}&played=${played}`, heard.taken());
  if (!answer.ok) return tell(answer.status === 422 ? (await answer.json()).problem : await said(answer), true);
  const found = await answer.json();
  localStorage.setItem(LATE, JSON.stringify(found));
  showLate();
  tell("");
}
// A try: pieces go to the server while it is spoken, so that a page that dies loses a second at most.
class Try extends Heard {
  constructor(number, rate) { super(); Object.assign(this, { number, rate, apart: [], sent: 0, over: false }); }
  hear(data) { if (!video().paused || this.first !== null) super.hear(data); }
  look() { if (!video().paused && !video().seeking && video().readyState > 2) this.apart.push(context.currentTime - video().currentTime); }
  get atSecond() { return this.first / this.rate - middle(this.apart); }
  async send() {
    for (let tries = 0; !this.over || this.blocks.length;) {
      if ((!this.over && this.count * 4 - this.sent < PIECE * 4) || !this.apart.length) {
        if (this.over && !this.apart.length) return;
        await sleep(100);
        continue;
      }
      const blob = this.taken();
      const address = `${place.dataset.pieces.replace("/0/", `/${this.number}/`)}?at=${this.sent}`;
      let answer = null;
      while (!answer) {
        answer = await post(`${address}&at_s=${this.atSecond.toFixed(6)}`, blob).catch(() => null);
        if (answer) break;
        if (++tries > 30) throw new Error("The connection is gone. What came is kept.");
        tell("The connection is gone; what is spoken waits here.", true);
        await sleep(1000);
      }
      if (!answer.ok) throw new Error(await said(answer));
      const { at: here } = await answer.json();
      if (here !== this.sent + blob.size) throw new Error("Some of what was spoken did not come to the server.");
      this.sent = here;
      tries = 0;
    }
  }
}
// A player that has enough to go on with does not have to wait at once.
function ready(player) {
  if (player.readyState > 3) return null;
  return Promise.race([new Promise((done) => player.addEventListener("canplaythrough", done, { once: true })), sleep(READY_MS)]);
}
async function speak() {
  await open();
  const facts = new FormData();
  facts.append("rate_hz", context.sampleRate);
  if (late()) facts.append("late_ms", late().late_ms);
  if (at("into")?.checked) facts.append("into", at("into").value);
  const begun = await post(place.dataset.begin, facts);
  if (!begun.ok) return tell(await said(begun), true);
  const mine = new Try((await begun.json()).number, context.sampleRate), player = video();
  take = mine;
  show(true);
  const looking = setInterval(() => mine.look(), 40);
  const sending = mine.send().then(() => null, (error) => { player.pause(); return error; });
  const stopped = new Promise((done) => {
    for (const name of ["pause", "ended", "waiting"]) player.addEventListener(name, () => done(name), { once: true });
  });
  await ready(player);
  await player.play();
  const why = await stopped;
  player.pause();
  await sleep(TAIL_MS + (late()?.late_ms ?? 0)); // the last word is still on its way
  clearInterval(looking);
  take = null;
  mine.over = true;
  const failed = await sending;
  show(false);
  if (failed) return tell(failed.message, true);
  if (!mine.sent) {
    await post(place.dataset.delete.replace("/0/", `/${mine.number}/`));
    return tell(why === "waiting" ? "The player had to wait before anything was heard. Speak once more." : "Nothing was heard.", true);
  }
  const ended = await post(place.dataset.end.replace("/0/", `/${mine.number}/`));
  if (!ended.ok) return tell(await said(ended), true);
  if (why === "waiting") return tell("The player had to wait, so it was stopped there. Load the page to see the try.", true);
  location.reload();
}
function show(speaking) {
  at("do-stop").hidden = !speaking;
  for (const button of place.querySelectorAll("[data-do-speak], [data-do-measure]")) button.disabled = speaking;
  tell(speaking ? "You are heard. Stop, or pause the player, when you are done." : "");
}
const trying = (work) => () => work().catch((error) => {
  take = null;
  show(false);
  tell(error.name === "NotAllowedError" ? "The browser may not use a microphone: allow it for this page." : error.name === "NotFoundError" ? "No microphone is there." : String(error.message), true);
});
at("do-measure").addEventListener("click", trying(measure));
at("do-speak").addEventListener("click", trying(speak));
at("do-stop").addEventListener("click", () => video().pause());
// A try is heard with the picture.
let playing = null;
for (const button of place.querySelectorAll("[data-listen]")) {
  button.addEventListener("click", () => {
    playing?.pause();
    playing = new Audio(button.dataset.listen);
    playing.currentTime = video().currentTime = Number(button.dataset.from);
    playing.play();
    video().play();
    video().addEventListener("pause", () => playing.pause(), { once: true });
  });
}
showLate();
