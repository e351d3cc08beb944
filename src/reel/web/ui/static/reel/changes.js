// Changes that a page sends, and when its parts may be replaced by what comes back.

// A rig's page says with each change what it saw: inputs, pieces and tracks are counted by their places, which another
// window may have changed. A form that was just sent is not sent again by a double click.
const root = document.documentElement;
const shapeField = "rig_shape";
document.addEventListener("htmx:configRequest", ({ detail }) => { if (root.dataset.shape && detail.verb !== "get") detail.parameters[shapeField] ??= root.dataset.shape; });
document.addEventListener("htmx:afterRequest", ({ detail }) => { if (detail.successful && detail.elt.matches("form[data-clears]")) detail.elt.reset(); });
document.addEventListener("htmx:afterRequest", ({ detail }) => { const now = detail.xhr.getResponseHeader("X-Rig-Shape"); if (now) root.dataset.shape = now; });
document.addEventListener("submit", (event) => {
  const form = event.target;
  if (event.defaultPrevented || form.method !== "post" || form.matches("[hx-post]")) return;
  if (Date.now() - Number(form.dataset.sentAt ?? 0) < 1500) { event.preventDefault(); return; }
  form.dataset.sentAt = Date.now();
  if (!root.dataset.shape || form.elements[shapeField]) return;
  const field = document.createElement("input");
  Object.assign(field, { type: "hidden", name: shapeField, value: root.dataset.shape });
  form.append(field);
});

// A part of the page that is made anew because something outside changed, or by looking again and again, waits while
// something is typed in it; so does one that an answer to another form would replace.
function typed(part) {
  const field = document.activeElement;
  const unsaid = field.matches("select") || (field.matches("input, textarea") && field.value !== field.defaultValue);
  if (part.contains(field) && unsaid) return field;
  return [...part.querySelectorAll("input:not([type=hidden]), textarea")].find((one) => one.value !== one.defaultValue && one.closest("form:not([hx-post]):not([hx-get])")) ?? null;
}

// A form that stores at once says what of it was touched: the rest stays as it is by now, whoever changed it. What was
// refused is sent whole, until it goes together.
function isTouched(one) {
  if (one.type === "checkbox" || one.type === "radio") return one.checked !== one.defaultChecked;
  if (!one.options) return one.value !== one.defaultValue;
  const made = [...one.options].find((option) => option.defaultSelected) ?? one.options[0];
  return made !== undefined && !made.selected;
}
const touched = (form) => [...new Set([...form.elements].filter((one) => one.name && one.type !== "hidden" && isTouched(one)).map((one) => one.name))];
document.addEventListener("htmx:configRequest", ({ detail }) => {
  if (!detail.elt.matches("form[data-stores]:not([data-refused])")) return;
  for (const name of touched(detail.elt)) detail.formData.append("touched", name);
});
// What somebody chose before this script ran, on a busy computer, is stored as well.
document.addEventListener("DOMContentLoaded", () => {
  for (const form of document.querySelectorAll("form[data-stores]:not([data-refused])")) if (touched(form).length) htmx.trigger(form, "change");
});

// A form is not replaced by the answer to what it was before.
const filled = (form) => new URLSearchParams(new FormData(form)).toString();
const asked = new WeakMap();
document.addEventListener("htmx:beforeRequest", ({ target }) => { if (target.matches("form")) asked.set(target, filled(target)); });

// What was fetched before a change was answered may not show it: it is fetched once more, and never put over the answer.
const begun = new WeakMap();
let changedAt = 0;
document.addEventListener("htmx:beforeRequest", ({ detail }) => {
  begun.set(detail.xhr, performance.now());
  if (detail.requestConfig.verb !== "get") changedAt = performance.now();
});

document.addEventListener("htmx:beforeSwap", (event) => {
  const { triggeringEvent: cause, elt, verb } = event.detail.requestConfig;
  const comesAnew = verb === "get" && (!cause || cause.type.endsWith("-changed"));
  const other = verb === "post" && event.detail.target.contains(document.activeElement) && !elt.contains(document.activeElement);
  const field = comesAnew || other ? typed(event.detail.target) : null;
  if (field) field.addEventListener("blur", () => htmx.trigger(document.body, cause?.type.endsWith("-changed") ? cause.type : "signal-changed"), { once: true });
  const isOld = asked.has(elt) && elt.isConnected && asked.get(elt) !== filled(elt);
  const isBefore = comesAnew && !field && (begun.get(event.detail.xhr) < changedAt || changes.some(isOpen));
  if (isBefore) setTimeout(() => htmx.trigger(document.body, cause?.type ?? "signal-changed"), 300);
  if (field || isOld || isBefore) event.detail.shouldSwap = false;
  if (isOld && elt.contains(document.activeElement)) document.activeElement.addEventListener("blur", () => { if (elt.isConnected) htmx.trigger(elt, "change"); }, { once: true });
});

// What was replaced between press and release takes no click: what comes while a pointer is down waits until it is up.
// Where another answer has replaced the part meanwhile, that to a change goes into the one that stands there now. A list
// of choices, a menu or another window takes the release for itself, so that those don't count as pressed.
let isPressed = false, answers = [];
const held = new WeakSet();
function release() {
  isPressed = false;
  for (const answer of answers.splice(0)) setTimeout(answer);
}
document.addEventListener("pointerdown", ({ button, target }) => { isPressed = button === 0 && !target.closest("select"); }, { capture: true });
for (const name of ["pointerup", "pointercancel", "contextmenu"]) document.addEventListener(name, () => setTimeout(release), { capture: true });
document.addEventListener("pointermove", ({ buttons }) => { if (isPressed && !buttons) release(); }, { capture: true });
addEventListener("blur", release);
document.addEventListener("htmx:beforeSend", ({ detail }) => {
  const { xhr } = detail, load = xhr.onload, isChange = detail.requestConfig.verb !== "get";
  function answer() {
    held.delete(xhr);
    if (isChange && !detail.target.isConnected && detail.target.id) detail.target = document.getElementById(detail.target.id) ?? detail.target;
    load.call(xhr);
  }
  xhr.onload = () => {
    if (isChange) changedAt = performance.now();
    if (!isPressed) return answer();
    held.add(xhr);
    answers.push(answer);
  };
});

// What was unfolded stays so when its part of the page is made anew, and what was selected in a field: htmx keeps a
// selection only where it does not begin with the first character, and what is typed then came in front of the old text.
let unfolded = [], selection = null;
document.addEventListener("htmx:beforeSwap", ({ detail }) => {
  unfolded = [...detail.target.querySelectorAll("details[id][open]")].map((one) => one.id);
  const { id, selectionStart, selectionEnd } = document.activeElement;
  selection = id && selectionEnd > selectionStart ? { id, selectionStart, selectionEnd } : null;
});
document.addEventListener("htmx:afterSwap", () => {
  for (const id of unfolded) document.getElementById(id)?.setAttribute("open", "");
  if (selection && document.activeElement.id === selection.id) document.activeElement.setSelectionRange(selection.selectionStart, selection.selectionEnd);
});

// A change is on its way for a moment: who moves on or rolls meanwhile does so once it is stored, and not if it is refused.
let changes = [];
const isOpen = (xhr) => xhr.readyState < 4 || held.has(xhr);
document.addEventListener("htmx:beforeSend", ({ detail }) => {
  if (detail.requestConfig.verb !== "get" && detail.elt.matches("form, button")) changes = [...changes.filter(isOpen), detail.xhr];
});
function onceStored(goOn) {
  if (changes.some(isOpen)) setTimeout(onceStored, 40, goOn);
  else if (changes.every((xhr) => xhr.status >= 200 && xhr.status < 400)) goOn();
}
document.addEventListener("click", (event) => {
  const link = event.target.closest('a[href^="/"]'), form = event.target.closest("button")?.form;
  const rolls = form && /^\/roll\/(start|try)\//.test(new URL(form.action).pathname);
  if (!changes.some(isOpen) || !(link || rolls) || event.ctrlKey || event.metaKey || event.shiftKey || event.button) return;
  event.preventDefault();
  event.stopPropagation();
  onceStored(() => (link ? location.assign(link.href) : document.querySelector(`form[action="${form.getAttribute("action")}"]`)?.requestSubmit()));
}, { capture: true });
