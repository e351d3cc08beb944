// The live state of the recorder: one event stream a page, kept in an Alpine store that the page's parts read.
const page = document.documentElement;

document.addEventListener("alpine:init", () => {
  Alpine.store("live", JSON.parse(document.getElementById("live-facts").textContent));
  Alpine.data("band", () => ({
    get roll() { return Alpine.store("live").roll ?? {}; },
    get idle() { return !Alpine.store("live").roll; },
    get word() { return { holding: "On hold", ending: "Closing", waiting: "Waiting" }[this.roll.state] ?? "Rolling"; },
    get trouble() { return [this.roll.alarms, this.roll.warning, this.roll.losing].filter(Boolean).join(" · "); },
    get calm() { return !this.trouble; },
    get held() { return this.roll.holding ? "1" : ""; },
    get notHeld() { return !this.roll.holding; },
    get isHeld() { return !!this.roll.holding; },
    get tone() { return this.roll.holding ? "is-holding" : ""; },
  }));
  Alpine.data("notice", () => ({
    get text() { return Alpine.store("live").answers ? Alpine.store("live").notice : "The recorder does not answer; it may be starting. Signals are shown as soon as it does."; },
    get none() { return !this.text; },
  }));
  Alpine.data("rig", () => ({
    get rig() { return Alpine.store("live").rig ?? { levels: [], alarms: [] }; },
    get alarms() { return this.rig.alarms ?? []; },
    get warnings() { return this.rig.warnings ?? []; },
    get noMend() { return !this.rig.mend || this.rolling; },
    get quiet() { return this.alarms.length === 0; },
    get notTesting() { return !this.rig.testing; },
    get untested() { return !this.rig.fieldTest; },
    get roll() { return Alpine.store("live").roll ?? {}; },
    get problem() { return Alpine.store("live").answers ? this.rig.problem : "The recorder does not answer; it may be starting."; },
    get fine() { return !this.problem; },
    get rolling() { return !!Alpine.store("live").roll; },
    get idle() { return !this.rolling; },
  }));
  // One channel of the meters; data-channel is its number. 0 dBFS lies at 600 units, −60 at 0.
  Alpine.data("meter", () => ({
    get level() { return (Alpine.store("live").rig?.levels ?? [])[this.$root.dataset.channel] ?? { peak: -60, rms: -60, held: -60 }; },
    get rmsWidth() { return (this.level.rms + 60) * 10; },
    get peakWidth() { return (this.level.peak + 60) * 10; },
    get heldAt() { return Math.max(0, (this.level.held + 60) * 10 - 3); },
    get words() { return this.level.held <= -60 ? "silent" : `peak ${this.level.held.toFixed(1).replace("-", "−")} dBFS`; },
  }));
  // Shows the field that goes with what is held constant.
  Alpine.data("rateControl", () => ({
    chosen: "",
    init() { this.read(); },
    read() { this.chosen = this.$root.querySelector("input[name=rate_control]:checked")?.value; },
    get byQuality() { return this.chosen !== "crf"; },
    get byBitrate() { return this.chosen !== "cbr"; },
  }));
});

const title = document.title;
let signal = "";
let heard = false;
let rollingTake = null;

function show(live) {
  Alpine.store("live", live);
  const roll = live.roll;
  document.title = roll ? `${roll.holding ? "On hold" : "Rolling"} ${roll.timecode} · ${title}` : title;
  const icon = document.querySelector("link[rel=icon]");
  const wanted = roll ? icon.dataset.rolling : icon.dataset.idle;
  if (icon.getAttribute("href") !== wanted) icon.setAttribute("href", wanted);
  const now = live.rig ? live.rig.signal : "";
  if (now !== signal) htmx.trigger(document.body, "signal-changed");
  signal = now;
  const sounds = !!live.rig?.heard;
  if (sounds !== heard) htmx.trigger(document.body, "heard-changed");
  heard = sounds;
  const take = roll ? roll.take_id : null;
  if (take !== rollingTake) htmx.trigger(document.body, "roll-changed");
  rollingTake = take;
}

document.addEventListener("DOMContentLoaded", () => {
  const facts = JSON.parse(document.getElementById("live-facts").textContent);
  rollingTake = facts.roll ? facts.roll.take_id : null;
  signal = facts.rig ? facts.rig.signal : ""; // what the page was made with
  heard = !!facts.rig?.heard;
  const rig = page.dataset.rig;
  const events = new EventSource(`/roll/events/${rig ? `?rig=${rig}` : ""}`);
  events.onmessage = (event) => show(JSON.parse(event.data));
  // A page is loaded before its moving picture begins, also when none comes.
  addEventListener("load", () => document.querySelectorAll("img[data-live]").forEach((image) => { image.src = image.dataset.live; }));
  // A moving picture holds its connection until its address changes.
  addEventListener("pagehide", () => {
    events.close();
    document.querySelectorAll("img[data-live]").forEach((image) => { image.src = "data:,"; });
  });
  addEventListener("pageshow", (event) => { if (event.persisted) location.reload(); });
  document.querySelector(".stage.is-open")?.scrollIntoView({ block: "nearest", inline: "center" });
});
