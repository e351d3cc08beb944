// Forms that are saved by a button: what is changed in them is said, and saved before somebody moves on or rolls.
const asMade = new WeakMap();
const savedForms = () => [...document.querySelectorAll("form[data-saves]")];
const contents = (form) => new URLSearchParams(new FormData(form)).toString();
const isChanged = (form) => form.dataset.saves === "changed" || (asMade.has(form) && asMade.get(form) !== contents(form));

function learn() {
  for (const form of savedForms()) if (!asMade.has(form)) asMade.set(form, contents(form));
}

function say(form) {
  const word = form.querySelector("[data-unsaved]");
  if (word) word.hidden = !isChanged(form);
}

async function save(form) {
  const data = new FormData(form);
  if (document.documentElement.dataset.shape) data.append("rig_shape", document.documentElement.dataset.shape);
  const answer = await fetch(form.action, { method: "POST", body: data, redirect: "manual" });
  return answer.type === "opaqueredirect";
}

// Saves what is changed, then goes on; where something is refused, its own page says so.
async function savedFirst(goOn) {
  for (const form of savedForms().filter(isChanged)) {
    if (!(await save(form))) { form.requestSubmit(); return; }
    form.dataset.saves = "";
    asMade.set(form, contents(form));
    say(form);
  }
  goOn();
}

document.addEventListener("DOMContentLoaded", learn);
document.addEventListener("htmx:load", learn);
for (const kind of ["input", "change"]) document.addEventListener(kind, ({ target }) => { const form = target.closest("form[data-saves]"); if (form) say(form); });

document.addEventListener("click", (event) => {
  const link = event.target.closest('a[href^="/rigs/"]:not([data-drops])'), button = event.target.closest("button");
  const rolls = button?.form?.action && new URL(button.form.action).pathname.match(/^\/roll\/(start|try)\//);
  if ((!link && !rolls) || event.ctrlKey || event.metaKey || event.shiftKey || event.button || !savedForms().some(isChanged)) return;
  event.preventDefault();
  event.stopPropagation();
  savedFirst(() => { if (link) location.assign(link.href); else button.click(); });
}, { capture: true });
