// Setting a track in step: the wave around the frame that is shown comes anew wherever the player stands still.
import { frameOf, video } from "./take.js";

const near = document.getElementById("near");
let shown = null;

async function look() {
  const frame = frameOf(video());
  if (!video().paused || frame === shown) return;
  shown = frame;
  const answer = await fetch(`${near.dataset.address}&frame=${frame}`, { headers: { "HX-Request": "true" } });
  if (answer.ok && frame === shown) near.innerHTML = await answer.text();
}
for (const name of ["pause", "seeked", "loadeddata"]) video().addEventListener(name, look);
if (video().readyState > 1) look();

near.addEventListener("click", (event) => {
  const wave = event.target.closest("[data-near]");
  if (!wave) return;
  const box = wave.getBoundingClientRect(), part = (event.clientX - box.left) / box.width;
  document.getElementById("near-slide").value = ((0.5 - part) * 2 * Number(near.dataset.around)).toFixed(1);
});
