// Keys: a button with data-key is pressed by that key, unless somebody types, holds a modifier, or has switched keys off:
// speech and shaking hands press them unasked (WCAG 2.1.4).
const typing = (element) => element.closest("input:not([type=radio]):not([type=checkbox]), textarea, select, [contenteditable]");

const keysOn = document.getElementById("keys-on");
keysOn.checked = localStorage.getItem("reel-keys") !== "off";
keysOn.addEventListener("change", () => localStorage.setItem("reel-keys", keysOn.checked ? "on" : "off"));

document.addEventListener("keydown", (event) => {
  if (localStorage.getItem("reel-keys") === "off") return;
  if (event.ctrlKey || event.metaKey || event.altKey || event.repeat || typing(event.target)) return;
  const dialog = document.getElementById("keys");
  if (event.key === "?") return dialog.open ? dialog.close() : dialog.showModal();
  if (dialog.open) return;
  const key = event.key.toLowerCase();
  if (key === " " && event.target.closest("button, summary, a, label")) return;  // it presses that
  const button = [...document.querySelectorAll(`[data-key="${CSS.escape(key)}"]`)].find(
    (found) => !found.disabled && found.offsetParent !== null,
  );
  if (button) {
    event.preventDefault();
    button.click();
  }
});

// A mark that is made afterwards lies where the player stands.
document.addEventListener("submit", ({ target }) => {
  if (target.matches("[data-marks]")) target.elements.at_s.value = document.querySelector("video")?.currentTime ?? 0;
});

document.addEventListener("click", (event) => {
  const target = event.target.closest("[data-opens], [data-seek], [data-copy], [data-full-screen], [data-theme-switch]");
  if (!target) return;
  if (target.dataset.opens) document.getElementById(target.dataset.opens).showModal();
  if (target.dataset.seek) {
    const video = document.querySelector("video");
    if (video) { video.pause(); video.currentTime = Number(target.dataset.seek); }
  }
  if (target.dataset.copy) copy(target);
  if (target.dataset.fullScreen) document.querySelector(target.dataset.fullScreen)?.requestFullscreen();
  if ("themeSwitch" in target.dataset) {
    const dark = getComputedStyle(document.documentElement).colorScheme.includes("dark");
    document.documentElement.dataset.theme = dark ? "light" : "dark";
    localStorage.setItem("reel-theme", dark ? "light" : "dark");
  }
});

// A browser may refuse to copy, and has no clipboard for a page that did not come over HTTPS: then the text is selected.
async function copy(button) {
  const source = document.querySelector(button.dataset.copy);
  try {
    await navigator.clipboard.writeText(source.textContent);
    button.textContent = "copied";
  } catch {
    getSelection().selectAllChildren(source);
    button.textContent = "selected: copy it with Ctrl+C";
  }
}
