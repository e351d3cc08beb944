// A take in time: the player's cursor runs through the drawing, and steps go by whole frames. A frame's middle is sought,
// so that rounding never shows its neighbour. A browser plays the first sound track alone: another is played beside.
import { post } from "./post.js";

const drawing = () => document.querySelector("[data-drawing]");
const shown = () => document.getElementById("in-time")?.dataset ?? {};
export const video = () => document.getElementById("player");
export const rate = () => Number(shown().rate) || 30;
// At its very end a player stands on the last frame.
export const frameOf = (player) => Math.max(0, Math.min(Math.floor(player.currentTime * rate() + 1e-4), Math.round((player.duration || Infinity) * rate()) - 1));
const edges = { in: null, out: null };

function seekTo(frame) {
  const player = video();
  if (!player) return;
  player.currentTime = Math.max(0, Math.min((frame + 0.5) / rate(), player.duration || 0));
}
// Where the distances of frames vary, the server says when those around a moment begin; the newest answer is kept. Steps
// go one after the other, however fast keys are pressed.
let begins = [], stepping = Promise.resolve();
async function stepTo(frames, address) {
  const player = video(), placeOf = () => begins.findLastIndex((at) => at <= player.currentTime);
  // the end of the last one is not known, nor is what lies before the first
  const knows = (place) => place >= 0 && place + 1 < begins.length;
  if (!knows(placeOf()) || !knows(placeOf() + frames)) {
    const answer = await fetch(`${address}?at=${Math.max(0, player.currentTime - (frames < 0 ? 1 : 0)).toFixed(4)}`);
    if (!answer.ok) return;
    begins = (await answer.json()).times;
  }
  const place = Math.max(0, Math.min(placeOf() + frames, begins.length - 1));
  player.currentTime = Math.min(begins[place] + 1e-3, player.duration || 0); // later, a browser may take the next one for it
}
function step(frames) {
  const { times } = document.querySelector("[data-player]").dataset;
  video().pause();
  if (times) stepping = stepping.then(() => stepTo(frames, times)).catch(() => {}); // the next press tries anew
  else seekTo(frameOf(video()) + frames);
}
// The track that is played beside the picture, which then is mute; null while the file's first is heard.
let track = null, choosing = 0;
const heard = () => track ?? video();
function keepInStep() {
  const player = video();
  if (!track || !player) return;
  track.playbackRate = player.playbackRate;
  if (Math.abs(track.currentTime - player.currentTime) > 0.04) track.currentTime = player.currentTime;
  if (player.paused || player.ended) track.pause();
  else if (track.paused) track.play().catch(() => {}); // it was paused again at once
}
async function choose(select) {
  const said = document.querySelector("[data-track-said]"), mine = ++choosing, wasMute = heard().muted, address = select.value;
  track?.remove();
  track = null;
  video().muted = wasMute;
  said.textContent = "";
  if (!address) return;
  let answer = await post(address);
  while (answer.status === 202 && mine === choosing) {
    said.textContent = "· the track is being read";
    await new Promise((done) => setTimeout(done, 400));
    answer = await fetch(address, { headers: { Range: "bytes=0-0" } });
  }
  if (mine !== choosing) return;
  said.textContent = answer.ok ? "" : `· ${answer.status === 409 ? (await answer.text()).slice(0, 200) : "the track can't be played"}`;
  if (!answer.ok) { select.value = ""; return; }
  track = new Audio(address);
  track.preservesPitch = true;
  track.muted = wasMute;
  document.body.append(track);
  video().muted = true;
  keepInStep();
}
// A second as hours, minutes, seconds and frames, as the server writes it.
export function code(seconds, perSecond = rate()) {
  const frames = Math.floor(seconds * perSecond + 1e-4), whole = Math.floor(seconds + 1e-6);
  const two = (number) => String(number).padStart(2, "0");
  return [Math.floor(whole / 3600), Math.floor(whole / 60) % 60, whole % 60, Math.floor(frames - whole * perSecond + 1e-4)].map(two).join(":");
}
let following = 0; // one a frame, whoever asks for it
function follow() {
  const player = video(), cursor = document.querySelector("[data-cursor]"), { from, to } = shown();
  if (!player) return;
  if (cursor && to) {
    const part = (player.currentTime * 1000 - from) / (to - from);
    cursor.setAttribute("x", `${part * 100}%`);
    cursor.setAttribute("visibility", part < 0 || part > 1 ? "hidden" : "visible");
  }
  const now = document.querySelector("[data-now]");
  if (now) now.textContent = code(player.currentTime);
  if (edges.out !== null && !player.paused && frameOf(player) >= edges.out && frameOf(player) < edges.out + rate() / 2) player.pause();
  cancelAnimationFrame(following);
  if (!player.paused) following = requestAnimationFrame(follow);
}
document.addEventListener("click", ({ target }) => {
  const link = target.closest("a[data-at]");
  if (link && video()) link.href = `${link.pathname}?at=${video().currentTime.toFixed(4)}`;
}, { capture: true });
let asking = 0;
function tellFrame() {
  const player = video(), place = document.querySelector("[data-frame]");
  clearTimeout(asking);
  if (!player || !place || !player.paused) return;
  asking = setTimeout(async () => {
    const answer = await fetch(`${document.querySelector("[data-player]").dataset.facts}?at=${player.currentTime.toFixed(4)}`);
    if (answer.ok && player.paused) place.textContent = `· ${(await answer.text()).trim()}`;
  }, 200);
}
for (const name of ["play", "pause", "seeking", "seeked", "timeupdate", "loadedmetadata", "ratechange"]) {
  document.addEventListener(name, (event) => {
    if (event.target !== video()) return;
    follow();
    keepInStep();
    if (name === "seeked" || name === "pause") tellFrame();
    const button = document.querySelector("[data-play]");
    if (button) button.firstChild.textContent = video().paused ? "Play " : "Pause ";
    if (name === "play") document.querySelector("[data-frame]").textContent = "";
  }, { capture: true });
}
let backing = 0;
function shuttle(way) {
  const player = video();
  clearInterval(backing);
  if (way < 0) {
    player.pause();
    backing = setInterval(() => (player.currentTime > 0 ? seekTo(frameOf(player) - Math.round(rate() / 5)) : clearInterval(backing)), 200);
  } else if (way === 0) player.pause();
  else if (player.paused) { player.playbackRate = 1; player.play(); }
  else player.playbackRate = Math.min(8, player.playbackRate * 2);
}
document.addEventListener("click", (event) => {
  const player = video(), target = event.target.closest("[data-play], [data-step], [data-edge], [data-shuttle], [data-mute], [data-drawing]");
  if (!player || !target) return;
  const { step: frames, edge, shuttle: way } = target.dataset;
  if (way === undefined) clearInterval(backing);
  if ("play" in target.dataset) {
    if (!player.paused) player.pause();
    else {
      if (edges.in !== null && edges.out !== null && frameOf(player) >= edges.out) seekTo(edges.in);
      player.play();
    }
  } else if ("mute" in target.dataset) {
    heard().muted = !heard().muted;
    target.setAttribute("aria-pressed", heard().muted);
  } else if (frames) step(Number(frames));
  else if (way !== undefined) shuttle(Number(way));
  else if (edge) {
    edges[edge] = frameOf(player);
    if (edges.in !== null && edges.out !== null && edges.out <= edges.in) edges[edge === "in" ? "out" : "in"] = null;
    const said = Object.entries(edges).filter(([, frame]) => frame !== null).map(([name, frame]) => `${name} ${code((frame + 0.5) / rate())}`);
    for (const [name, frame] of Object.entries(edges)) {
      if (frame === null) delete document.querySelector("[data-player]").dataset[name];
      else document.querySelector("[data-player]").dataset[name] = frame;
    }
    document.dispatchEvent(new Event("reel:edges"));
    document.querySelector("[data-edges]").textContent = said.length ? `· ${said.join(", ")}` : "";
  } else if ("drawing" in target.dataset) {
    const box = target.getBoundingClientRect(), { from, to } = shown();
    seekTo(Math.floor((Number(from) + (event.clientX - box.left) / box.width * (to - from)) / 1000 * rate()));
  }
});
document.addEventListener("change", ({ target }) => {
  if (target.matches("[data-speed]") && video()) video().playbackRate = Number(target.value);
  if (target.matches("[data-track]") && video()) choose(target);
});
document.addEventListener("htmx:afterSwap", follow);
// Steps of a second, which have no button of their own.
document.addEventListener("keydown", (event) => {
  if (!event.shiftKey || !["ArrowLeft", "ArrowRight"].includes(event.key) || !video() || event.target.closest("input, select, textarea")) return;
  event.preventDefault();
  event.stopImmediatePropagation();
  video().pause();
  seekTo(frameOf(video()) + Math.round(rate()) * (event.key === "ArrowLeft" ? -1 : 1));
}, { capture: true });
