// Before and after, of one frame: the handle on the ruler above the pictures says how much of each is shown.
import { code } from "./take.js";

const split = () => document.querySelector("[data-split]");
let waiting = 0;

function show() {
  const place = split();
  if (!place) return;
  const at = place.querySelector("#split-at").value, tick = place.querySelector("#split-tick").value;
  place.querySelector("[data-which='after']").style.clipPath = `inset(0 0 0 ${at}%)`;
  place.querySelector("output").textContent = code(Number(tick) / Number(place.dataset.rate), Number(place.dataset.rate));
}
function load() {
  const place = split(), tick = place.querySelector("#split-tick").value;
  for (const one of place.querySelectorAll("img")) one.src = `${place.dataset.address.replace(/0\/$/, `${tick}/`)}${one.dataset.which}/?${place.dataset.seen}`;
}
document.addEventListener("input", ({ target }) => {
  if (!target.closest("[data-split]")) return;
  show();
  if (target.id !== "split-tick") return;
  clearTimeout(waiting);
  waiting = setTimeout(load, 120);
});
// A change of the page keeps the frame and the split that were looked at.
let kept = null;
document.addEventListener("htmx:beforeSwap", () => {
  kept = split() ? [split().querySelector("#split-at").value, split().querySelector("#split-tick").value] : null;
});
document.addEventListener("htmx:afterSwap", () => {
  if (split() && kept) {
    const [at, tick] = kept, now = split().querySelector("#split-tick");
    kept = null;
    split().querySelector("#split-at").value = at;
    if (now.value !== tick) {
      now.value = tick;
      load();
    }
  }
  show();
});
show();
