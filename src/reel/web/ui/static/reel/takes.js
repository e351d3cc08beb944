// The list of takes: what is chosen, and what it comes to.
const size = (bytes) => bytes >= 1e12 ? `${(bytes / 1e12).toFixed(2)} TB` : bytes >= 1e9 ? `${(bytes / 1e9).toFixed(2)} GB` : bytes >= 1e6 ? `${(bytes / 1e6).toFixed(1)} MB` : `${(bytes / 1e3).toFixed(0)} kB`;
const length = (ms) => { const s = Math.round(ms / 1000), two = (n) => String(n).padStart(2, "0"); return s >= 3600 ? `${Math.floor(s / 3600)}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}` : `${Math.floor(s / 60)}:${two(s % 60)}`; };
let last = null;
function sumUp() {
  const form = document.getElementById("chosen"), dock = form?.querySelector(".takes-dock");
  if (!dock) return;
  const boxes = [...form.querySelectorAll("[name=take]:checked")], all = form.querySelector("[name=all]");
  dock.hidden = !boxes.length;
  dock.querySelector("[data-chosen]").textContent = all?.checked ? "All" : boxes.length;
  const sum = (key) => boxes.reduce((total, box) => total + Number(box.dataset[key]), 0);
  dock.querySelector("[data-sums]").textContent = all?.checked ? "" : `${length(sum("ms"))} · ${size(sum("bytes"))}`;
}
// Files go to the browser one after the other, as they are; it asks once whether several may.
async function downloadAll() {
  const files = [...document.querySelectorAll("#chosen [name=take]:checked")].flatMap((box) => box.dataset.files.trim().split(" "));
  for (const address of files) {
    const link = Object.assign(document.createElement("a"), { href: address, download: "" });
    link.click();
    await new Promise((done) => setTimeout(done, 400));
  }
}
document.addEventListener("change", ({ target }) => { if (target.closest("#chosen")) sumUp(); });
// With shift all between two are chosen.
document.addEventListener("click", (event) => {
  const box = event.target.closest("#chosen [name=take]");
  if (box) {
    const boxes = [...document.querySelectorAll("#chosen [name=take]:not(:disabled)")];
    if (event.shiftKey && last?.isConnected) {
      const [from, to] = [boxes.indexOf(last), boxes.indexOf(box)].sort((one, other) => one - other);
      for (const one of boxes.slice(from, to + 1)) one.checked = box.checked;
      sumUp();
    }
    last = box;
  }
  if (event.target.closest("[data-download]")) downloadAll();
  const asks = event.target.closest("[data-asks]");
  if (asks && !confirm(asks.dataset.asks)) event.preventDefault();
});
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input:not([type=checkbox]), textarea, select")) return;
  const find = document.getElementById("words");
  if (event.key === "/" && find) { event.preventDefault(); find.focus(); find.select(); }
  if (event.key === "a" && document.getElementById("chosen")) {
    const boxes = [...document.querySelectorAll("#chosen [name=take]:not(:disabled)")], on = boxes.some((box) => !box.checked);
    for (const box of boxes) box.checked = on;
    sumUp();
  }
});
document.addEventListener("htmx:afterSwap", sumUp);
sumUp();
