// The Frame page's rulers: their scales, and the handles on them. What a handle sets is a number of the form beside the
// picture; letting it go sends the form. A piece that fills the frame is cropped, in the arriving picture's own pixels;
// another one is moved and sized, in the frame's.
const SVG = "http://www.w3.org/2000/svg";
const easel = () => document.getElementById("easel");
let facts = null;

const make = (name, attributes, text) => {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  if (text !== undefined) element.textContent = text;
  return element;
};
const field = (name) => document.querySelector(`#piece-form [name=${name}]`);
const read = (name) => Number(field(name).value) || 0;

// Each ruler as a scale: `from`..`to` of its unit lie at `start`..`end` pixels of the screen along it.
function scales() {
  const picture = easel().querySelector(".easel-picture").getBoundingClientRect();
  const [fw, fh] = facts.frame, [x, y, w, h] = facts.placed, [ax, ay, aw, ah] = facts.area;
  const sx = picture.width / fw, sy = picture.height / fh;
  if (facts.crops) return {
    across: { from: ax, to: ax + aw, start: x * sx, end: (x + w) * sx },
    down: { from: ay, to: ay + ah, start: y * sy, end: (y + h) * sy },
  };
  return { across: { from: 0, to: fw, start: 0, end: picture.width }, down: { from: 0, to: fh, start: 0, end: picture.height } };
}
const at = (scale, value) => scale.start + (value - scale.from) / (scale.to - scale.from) * (scale.end - scale.start);
const perPixel = (scale) => (scale.to - scale.from) / (scale.end - scale.start);

// What can be dragged: a label, the ruler it lies on, where, what it sets for a distance, and within what.
function handles() {
  const [sw, sh] = facts.source, [x, y, w, h] = facts.placed, [ax, ay, aw, ah] = facts.area;
  if (facts.crops) {
    if (!facts.straight) return [];
    const crop = (name, ruler, value, sign, most) => ({
      name: `Crop ${name}`, ruler, value, label: value,
      move: (by) => { const field_ = field(`crop_${name}`); field_.value = Math.max(0, Math.min(most, read(`crop_${name}`) + sign * by)); return field_.value; },
      now: () => (sign > 0 ? read(`crop_${name}`) : (ruler === "top" ? sw : sh) - read(`crop_${name}`)), most: ruler === "top" ? sw : sh,
    });
    return [
      crop("left", "top", ax, 1, sw - 2), crop("right", "top", ax + aw, -1, sw - 2),
      crop("top", "left", ay, 1, sh - 2), crop("bottom", "left", ay + ah, -1, sh - 2),
    ];
  }
  const put = (changes) => { for (const [name, value] of Object.entries(changes)) field(name).value = value; };
  const side = (name, ruler, value, apply) => ({ name, ruler, value, label: value, move: apply, now: () => value, most: ruler === "top" ? facts.frame[0] : facts.frame[1] });
  const edges = facts.sized ? [
    side("Left edge", "top", x, (by) => put({ x: read("x") + by, width: Math.max(2, read("width") - by) })),
    side("Right edge", "top", x + w, (by) => put({ width: Math.max(2, read("width") + by) })),
    side("Upper edge", "left", y, (by) => put({ y: read("y") + by, height: Math.max(2, read("height") - by) })),
    side("Lower edge", "left", y + h, (by) => put({ height: Math.max(2, read("height") + by) })),
  ] : [];
  return [
    ...edges,
    { name: `Move ${facts.name} across`, ruler: "bottom", span: [x, x + w], label: facts.sized ? `${facts.name} ${w} px` : facts.name, move: (by) => put({ x: read("x") + by }), now: () => read("x"), most: facts.frame[0] },
    { name: `Move ${facts.name} up or down`, ruler: "right", span: [y, y + h], label: "", move: (by) => put({ y: read("y") + by }), now: () => read("y"), most: facts.frame[1] },
  ];
}

let waiting = 0;
// An answer that is still on its way when something is set anew brings older numbers back: it is passed over.
let set = 0, sent = 0;
function hold() { set += 1; }
document.addEventListener("htmx:beforeRequest", (event) => { if (event.target.id === "piece-form") sent = set; });
document.addEventListener("htmx:beforeSwap", (event) => { if (event.detail.target.id === "stage" && sent !== set) event.detail.shouldSwap = false; });
function later() { clearTimeout(waiting); waiting = setTimeout(send, 180); }
function send() { htmx.trigger(document.getElementById("piece-form"), "change"); }

function grip(handle, scale, svg) {
  const flat = handle.ruler === "top" || handle.ruler === "bottom";
  const group = make("g", { class: `handle strand-${facts.strand}`, tabindex: 0, role: "slider", "aria-label": handle.name, "aria-orientation": flat ? "horizontal" : "vertical", "aria-valuemin": 0, "aria-valuemax": handle.most, "aria-valuenow": handle.now() });
  const side = flat ? svg.clientHeight : svg.clientWidth;
  if (handle.span) {
    const [a, b] = handle.span.map((value) => at(scale, value));
    group.append(make("rect", flat ? { x: a, y: 0, width: b - a, height: side, class: "grab" } : { x: 0, y: a, width: side, height: b - a, class: "grab" }));
    group.append(make("path", { class: "bracket", d: flat ? `M${a} 2V12M${a} 7H${b}M${b} 2V12` : `M2 ${a}H12M7 ${a}V${b}M2 ${b}H12` }));
    if (flat) group.append(make("text", { x: Math.max(60, (a + b) / 2), y: 25, "text-anchor": "middle" }, handle.label));
  } else {
    const here = at(scale, handle.value);
    const shape = flat ? `M${here} ${side}l-9 -10h-11v-20h40v20h-11z` : `M${side} ${here}l-8 -10h-38v20h38z`;
    group.append(make("path", { class: "tab", d: shape }));
    group.append(make("text", flat ? { x: here, y: side - 15, "text-anchor": "middle" } : { x: side - 26, y: here + 4, "text-anchor": "middle" }, handle.label));
  }
  let from = 0, done = 0;
  const moveTo = (along) => {
    const by = Math.round((along - from) * perPixel(scale));
    if (by === done) return;
    hold();
    handle.move(by - done);
    done = by;
    const label = group.querySelector("text");
    if (label && !handle.span) label.textContent = facts.crops ? handle.now() : handle.value + done;
    group.setAttribute("transform", flat ? `translate(${along - from} 0)` : `translate(0 ${along - from})`);
  };
  group.addEventListener("pointerdown", (event) => {
    event.preventDefault();
    group.focus();
    group.setPointerCapture(event.pointerId);
    from = flat ? event.clientX : event.clientY;
    done = 0;
    group.onpointermove = (moved) => moveTo(flat ? moved.clientX : moved.clientY);
    group.onpointerup = group.onpointercancel = () => {
      group.onpointermove = group.onpointerup = group.onpointercancel = null;
      group.removeAttribute("transform");
      if (done) send();
    };
  });
  group.addEventListener("keydown", (event) => {
    const less = flat ? "ArrowLeft" : "ArrowUp", more = flat ? "ArrowRight" : "ArrowDown";
    if (event.key !== less && event.key !== more) return;
    event.preventDefault();
    hold();
    handle.move((event.key === more ? 1 : -1) * (event.shiftKey ? 10 : 1));
    later();
  });
  return group;
}

function scale(svg, ruler, one, taken) {
  const flat = ruler === "top", size = flat ? svg.clientHeight : svg.clientWidth;
  const span = one.to - one.from, steps = [1, 2, 5, 10, 20, 50, 100, 120, 240, 480, 960, 1920];
  const step = steps.find((found) => found / span * (one.end - one.start) >= 74) ?? 1920;
  for (let value = Math.ceil(one.from / (step / 4)) * (step / 4); value <= one.to; value += step / 4) {
    const here = at(one, value), long = Math.abs(value % step) < 0.001;
    svg.append(make("path", { class: "tick", d: flat ? `M${here} ${size}v${long ? -12 : -6}` : `M${size} ${here}h${long ? -12 : -6}` }));
    if (long && !taken.some((place) => Math.abs(place - here - (flat ? 14 : 0)) < (flat ? 40 : 16))) svg.append(make("text", flat ? { x: here + 3, y: size - 6, class: "tick-label" } : { x: size - 15, y: here + 4, "text-anchor": "end", class: "tick-label" }, Math.round(value)));
  }
}

function draw() {
  const found = document.getElementById("framing-facts");
  if (!found || !easel()) return;
  facts = JSON.parse(found.textContent);
  const held = document.activeElement?.closest?.(".handle")?.getAttribute("aria-label");
  const both = scales(), all = handles();
  for (const ruler of ["top", "left", "bottom", "right"]) {
    const svg = document.getElementById(`ruler-${ruler}`);
    svg.replaceChildren();
    const taken = (one) => all.filter((handle) => handle.ruler === ruler).map((handle) => at(one, handle.value));
    if (ruler === "top") scale(svg, "top", both.across, taken(both.across));
    if (ruler === "left") scale(svg, "left", both.down, taken(both.down));
  }
  for (const handle of all) {
    const svg = document.getElementById(`ruler-${handle.ruler}`);
    const group = grip(handle, handle.ruler === "top" || handle.ruler === "bottom" ? both.across : both.down, svg);
    svg.append(group);
    if (handle.name === held) group.focus();
  }
}

document.addEventListener("DOMContentLoaded", () => {
  if (!easel()) return;
  new ResizeObserver(draw).observe(easel());
  htmx.onLoad(draw);
});
