// What is kept of a take: edges are dragged on its strand, and set where the player stands or where it was marked In and Out.
import { code as codeAt, frameOf, rate, video } from "./take.js";

const drawing = () => document.querySelector(".keep [data-drawing]");
const shown = () => document.getElementById("in-time").dataset;
const length = () => Number(shown().length) / 1000;
const code = (tick) => codeAt(tick / rate());
const SNAP_PX = 6;

const offset = () => Math.round(-Number(shown().from) / 1000 * rate());
const playerTick = () => (video() ? frameOf(video()) + offset() : 0);

// Sends with a form where the player stands, and where In and Out were set.
document.addEventListener("submit", ({ target }) => fill(target), { capture: true });
function edgesNow() {
  const { in: first, out } = document.querySelector("[data-player]")?.dataset ?? {};
  const at = playerTick();
  return { at: code(at), in: first === undefined ? "" : code(Number(first) + offset()), out: out === undefined ? "" : code(Number(out) + 1 + offset()) };
}
function fill(form) {
  if (!form.matches("[data-edges-form]")) return;
  for (const [name, value] of Object.entries(edgesNow())) form.elements[name].value = value;
}
function allow() {
  const { in: first, out } = document.querySelector("[data-player]")?.dataset ?? {};
  for (const button of document.querySelectorAll("[data-needs-edges]")) button.disabled = first === undefined || out === undefined;
}
document.addEventListener("reel:edges", allow);
document.addEventListener("htmx:afterSwap", allow);
allow();

// Dragging: an edge snaps to a keyframe, a mark, a cut, or where something is black, still or silent.
let dragged = null;
function tickAt(event) {
  const box = drawing().getBoundingClientRect(), ticks = length() * rate();
  const tick = Math.max(0, Math.min(ticks, Math.round((event.clientX - box.left) / box.width * ticks)));
  const near = SNAP_PX / box.width * ticks;
  const places = [...JSON.parse(document.getElementById("keep-snaps").textContent), playerTick()];
  const best = places.reduce((found, place) => (Math.abs(place - tick) < Math.abs(found - tick) ? place : found), Infinity);
  return event.altKey || Math.abs(best - tick) > near ? tick : best;
}
document.addEventListener("pointerdown", (event) => {
  const edge = event.target.closest?.(".keep-edge");
  if (!edge) return;
  event.preventDefault();
  dragged = { edge, tick: null };
  edge.setPointerCapture(event.pointerId);
});
document.addEventListener("pointermove", (event) => {
  if (!dragged) return;
  dragged.tick = tickAt(event);
  dragged.edge.setAttribute("x", `${dragged.tick / (length() * rate()) * 100}%`);
});
document.addEventListener("pointerup", () => {
  const { edge, tick } = dragged ?? {};
  dragged = null;
  if (tick === null || tick === undefined) return;
  const form = document.getElementById(`range-${edge.dataset.edgeOf}`);
  form.elements[edge.dataset.side].value = code(tick);
  form.requestSubmit();
});
// A click that ends a drag does not move the player.
document.addEventListener("click", (event) => { if (event.target.closest?.(".keep-edge")) event.stopImmediatePropagation(); }, { capture: true });
