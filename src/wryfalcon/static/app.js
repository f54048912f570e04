/* Keys for the whole application. Everything works without this file, with a mouse or the tab key. */
"use strict";

const isTyping = (target) => target.closest("input:not([type=checkbox], [type=radio]), select, textarea, dialog[open]") !== null;
/* How wide the screen is, so that keys are drawn for it. */
const narrow = window.matchMedia("(width < 40rem)");
const layPaper = () => (document.cookie = `paper=${narrow.matches ? "phone" : "desk"}; path=/; max-age=31536000; samesite=lax`);
layPaper();
narrow.addEventListener("change", layPaper);

const find = (selector) => document.querySelector(selector);
const press = (selector) => find(selector)?.click();
const TO_READ = 1000; // ms that a control of the spindle has stood there before a key may press it

/* Going on: what sets the wheel going or stops it is never pressed blindly, by a key held down or just after it appeared. */
const going = { to: "", since: 0 };
const whereTo = (control) => control && [control.id, control.value, control.textContent.trim(), control.href ?? ""].join("|");
function lookWhereTo() {
  const to = whereTo(find("[data-go]")) ?? "";
  if (to !== going.to) Object.assign(going, { to, since: performance.now() });
}
function goOn(event) {
  lookWhereTo();
  const control = find("[data-go]");
  if (!control || event.repeat) return;
  const spins = control.matches("[data-spindle]");
  if (spins && performance.now() - going.since < TO_READ) return tell("The page has just changed: read it, then press g again.");
  control.click();
}
window.tellWords = tell;
function tell(words) {
  const place = find("#told");
  if (place) place.textContent = words;
}
document.addEventListener("htmx:responseError", ({ detail: { xhr } }) => xhr.status === 503 ?
  tell("Nothing can be written now: it was not kept. Do it again when this is over; reload the page for what to do.") :
  tell(`That went wrong here (${xhr.status}, number ${xhr.getResponseHeader("X-Request-ID") ?? "unknown"}). Look what was kept before you do it again.`));
document.addEventListener("htmx:sendError", () => tell("No answer came. What you typed is still on this page; look again when the line is back."));
document.addEventListener("htmx:beforeSwap", ({ detail }) => detail.shouldSwap && !isPoll(detail.requestConfig) && tell(""));

/* A press shows at once that it was taken, and is taken once: until an answer comes, or for a while where none will. */
const PATIENCE = 10000, TAKEN_AWAY = 1500; // ms: for an answer, and for a file, which leaves the page as it is
function isBusy(form, control) {
  if (form.dataset.busy) return true;
  form.dataset.busy = "1";
  control?.setAttribute("aria-busy", "true");
  return false;
}
function ready(form) {
  delete form.dataset.busy;
  form.querySelectorAll("[aria-busy]").forEach((control) => control.removeAttribute("aria-busy"));
}
document.addEventListener("submit", (event) => {
  const form = event.target, control = event.submitter ?? form.querySelector("[data-go]");
  if (event.defaultPrevented || form.method !== "post") return;
  if (isBusy(form, control)) return event.preventDefault();
  setTimeout(() => ready(form), /\.\w{2,4}$/.test(new URL(form.action).pathname) ? TAKEN_AWAY : PATIENCE);
});
document.addEventListener("htmx:beforeRequest", (event) => {
  const { elt, requestConfig } = event.detail;
  if (elt.matches("form") && requestConfig.verb === "post" && isBusy(elt, requestConfig.triggeringEvent?.submitter)) event.preventDefault();
});
document.addEventListener("htmx:afterRequest", ({ detail }) => detail.elt.matches("form") && ready(detail.elt));
document.addEventListener("DOMContentLoaded", () => find("form [aria-invalid=true]:not([type=hidden])")?.focus());
window.addEventListener("pageshow", () => document.querySelectorAll("form[data-busy]").forEach(ready));

/* A page that looks again says what it shows, so that nothing comes back where nothing changed. */
let shown = "";
const isPoll = (config) => config?.headers?.["X-Poll"] !== undefined;
document.addEventListener("htmx:configRequest", ({ detail }) => { if (isPoll(detail) && shown) detail.headers["X-Was"] = shown; });
document.addEventListener("htmx:afterRequest", ({ detail }) => {
  if (detail.xhr?.status !== 204) shown = detail.xhr?.getResponseHeader("X-Stage") ?? "";
});

/* The hand stays where it was when a part of the page is replaced; on Stop, once what it pressed has set metal moving. */
let hand = null;
const nameOf = (control) => [control.tagName, control.name, control.value, control.closest("form")?.action, control.href].join("|");
document.addEventListener("htmx:beforeSwap", ({ detail }) => {
  const control = document.activeElement;
  hand = detail.target?.contains(control) && control !== document.body ? { id: control.id, name: nameOf(control) } : null;
});
document.addEventListener("htmx:afterSettle", () => {
  if (!hand || (document.activeElement && document.activeElement !== document.body)) return;
  const same = (hand.id && document.getElementById(hand.id)) ||
    [...document.querySelectorAll("#stage :is(a, button, input, select, textarea, summary)")].find((control) => nameOf(control) === hand.name);
  (same ?? find("[data-stop]") ?? find("[data-go]"))?.focus({ preventScroll: true });
  hand = null;
});

/* What has changed is said once, outside of what is replaced. */
const saying = () => [...document.querySelectorAll("#stage [data-say]")].map((each) => each.textContent.trim().replace(/\s+/g, " ")).join(" ");
let said = "";
document.addEventListener("DOMContentLoaded", () => { said = saying(); });
document.addEventListener("htmx:afterSettle", () => {
  const now = saying(), place = find("#says");
  if (now !== said && place) place.textContent = now;
  said = now;
});
document.addEventListener("DOMContentLoaded", lookWhereTo);
document.addEventListener("htmx:afterSettle", lookWhereTo);

const ROOMS = { b: 0, l: 1, m: 2, r: 3 };

/* Single letters press things unless they are switched off on this device. */
const letters = { off: false };
try { letters.off = localStorage.getItem("letters") === "off"; } catch { /* they stay on */ }
document.addEventListener("DOMContentLoaded", () => {
  const box = find("#letters-on");
  if (!box) return;
  box.checked = !letters.off;
  box.addEventListener("change", () => {
    letters.off = !box.checked;
    try { localStorage.setItem("letters", letters.off ? "off" : "on"); } catch { /* for this page at least */ }
  });
});
document.addEventListener("click", (event) => event.target.closest?.("[data-keys]") && find("#shortcuts")?.showModal());

function takeIn() {
  const control = find("[data-new-tag]"), head = find("[data-take-in]");
  if (control) control.click();
  else if (head) location.assign(head.dataset.takeIn);
}

const KEYS = {
  x: () => press(".button-stop[data-stop]"),
  "/": () => find("#find")?.focus(),
  "?": () => find("#shortcuts")?.showModal(),
  n: takeIn,
  u: () => press("#unit-form button"),
  f: () => press("#finer"),
  z: () => press("[data-undo]"),
  a: () => press("[data-again]"),
  g: goOn,
  v: () => press("[data-show]"),
  "[": () => press("[data-stage-before]"),
  "]": () => press("[data-stage-after]"),
};

/* Settle: arrows pick a cut and step its depth, a digit or letter sets it. */
function stepLane(by) {
  const lanes = [...document.querySelectorAll("[data-lane]")];
  const at = lanes.findIndex((lane) => lane.dataset.lane === find("[data-picked]")?.dataset.picked);
  const next = lanes[at < 0 ? (by > 0 ? 0 : lanes.length - 1) : at + by];
  if (next) next.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
}

function stepDepth(by) {
  const select = find("#overrule-label");
  if (!select) return false;
  select.selectedIndex = Math.min(Math.max(select.selectedIndex + by, 0), select.options.length - 1);
  return true;
}

function setDepth(label) {
  const select = find("#overrule-label");
  const option = select && [...select.options].find((o) => o.value.toLowerCase() === label.toLowerCase());
  if (!option) return false;
  select.value = option.value;
  find("#overrule-reason")?.focus();
  return true;
}

/* Read and Prove: in the entry, up and down go to the cut before or after. */
function stepCut(event) {
  const link = find(event.key === "ArrowUp" ? "[data-cut-before]" : "[data-cut-after]");
  if (!link) return;
  event.preventDefault();
  link.click();
}

/* Read, depth keys: a digit marks that tumbler flush, with Shift unsure. */
function markTumbler(event) {
  const digit = /^(?:Digit|Numpad)([1-9])$/.exec(event.code)?.[1];
  const box = digit && find(`[data-looks] input[name=${event.shiftKey ? "unsure" : "flush"}][value="${digit}"]`);
  if (!box) return false;
  box.click();
  return true;
}

/* Read: what is the matter with the cut in front, by one letter left alone in its entry, or by a press. Letters that come
   in a burst, as from a cable, are something typed. */
const ALONE = 350; // ms
function markSoon(entry, letter) {
  const isMark = find(`[data-marks] [data-mark="${CSS.escape(letter)}"]`) !== null;
  const isPress = entry.inputMode === "decimal" && /^[a-z]$/.test(letter) && (letter in KEYS || letter in ROOMS);
  if (isMark || isPress) setTimeout(() => {
    if (!entry.isConnected || entry.value !== letter) return;
    entry.value = "";
    if (isMark) markCut(letter);
    else pressed(letter, new KeyboardEvent("keydown", { key: letter }));
  }, ALONE);
}
function pressed(key, event) {
  if (key in KEYS) KEYS[key](event);
  else press(`.head nav a:nth-of-type(${ROOMS[key] + 1})`);
}
function markCut(letter) {
  const button = find(`[data-marks] [data-mark="${CSS.escape(letter)}"]`);
  button?.click();
  return Boolean(button);
}
document.addEventListener("click", (event) => {
  const form = event.target.closest?.("[data-mark]")?.form;
  const cut = find("form[data-values]")?.elements.cut.value;
  if (form && cut) form.elements.cut.value = cut;
}, true);

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.target.matches("[data-value-entry]") && ["ArrowUp", "ArrowDown"].includes(event.key)) return stepCut(event);
  if (event.target.matches("[data-value-entry]") && event.target.value === "" && event.key === "Escape") return event.target.blur();
  if (event.target.matches("[data-value-entry]") && event.target.value === "" && event.key.length === 1) return letters.off || markSoon(event.target, event.key);
  if (isTyping(event.target)) return;
  if (letters.off && event.key.length === 1) return;
  const hasArrowsOfItsOwn = event.target.closest("input[type=radio], [role=region][tabindex]") !== null;
  if (event.key.startsWith("Arrow") && hasArrowsOfItsOwn) return;
  if (find("[data-lanes]")) {
    if (event.key === "ArrowRight" || event.key === "ArrowLeft") return event.preventDefault(), stepLane(event.key === "ArrowRight" ? 1 : -1);
    if (event.key === "ArrowUp" && stepDepth(-1)) return event.preventDefault();
    if (event.key === "ArrowDown" && stepDepth(1)) return event.preventDefault();
    if (event.key.length === 1 && setDepth(event.key)) return event.preventDefault();
  }
  if (markTumbler(event)) return event.preventDefault();
  if (event.key in KEYS) return event.preventDefault(), pressed(event.key, event);
  if (event.key in ROOMS) pressed(event.key, event);
});

/* Alpine: which cut choice is open, and whether every safety tick is set. */
document.addEventListener("alpine:init", () => {
  window.Alpine.data("intent", () => ({
    chosen: "restore",
    init() { this.chosen = this.$el.dataset.chosen; },
    isCompensating() { return this.chosen === "compensate"; },
  }));
  /* What lies on the bench says which questions are asked; one that is answered already stays in sight. */
  window.Alpine.data("onBench", () => ({
    lies: "",
    answered: {},
    init() { this.look(); },
    look() {
      this.lies = this.$root.querySelector("[name=on_bench]").value;
      for (const name of ["code_on_it", "brought_back"]) {
        this.answered[name] = Boolean(this.$root.querySelector(`[name=${name}]`)?.value);
      }
    },
    isCode() { return this.lies === "code" || this.answered.code_on_it; },
    isReturned() { return this.lies === "returned-key" || this.answered.brought_back; },
  }));
  window.Alpine.data("checks", () => ({
    set: 0,
    all: 0,
    init() { this.count(); },
    count() {
      const boxes = [...this.$root.querySelectorAll("input[type=checkbox]")];
      this.all = boxes.length;
      this.set = boxes.filter((box) => box.checked).length;
    },
    isReady() { return this.all > 0 && this.set === this.all; },
    left() { return this.all - this.set; },
  }));
  /* One pass of a mill, timed: steadily, neither slower nor harder. */
  window.Alpine.data("passTimer", () => ({
    left: 0,
    ticking: null,
    begin() {
      this.left = Number(this.$root.dataset.seconds);
      clearInterval(this.ticking);
      this.ticking = setInterval(() => { this.left -= 1; if (this.left <= 0) clearInterval(this.ticking); }, 1000);
    },
    destroy() { clearInterval(this.ticking); },
    shown() {
      if (this.ticking === null) return `About ${this.$root.dataset.seconds} s a pass, steadily, against the mill.`;
      return this.left > 0 ? `${this.left} s` : "The pass is over.";
    },
  }));
  /* How many pixels of this glass are a millimetre, told by a card laid on it: kept on the device, never sent. */
  window.Alpine.data("glass", () => ({
    perMm: 96 / 25.4,
    isSet: false,
    init() {
      const kept = Number(localStorage.getItem("pixels-per-mm"));
      if (kept > 1 && kept < 40) { this.perMm = kept; this.isSet = true; this.show(); }
      window.addEventListener("beforeprint", () => this.sized("mm", 1));
      window.addEventListener("afterprint", () => { if (this.isSet) this.show(); });
    },
    larger() { this.by(1.02); },
    smaller() { this.by(1 / 1.02); },
    littleLarger() { this.by(1.003); },
    littleSmaller() { this.by(1 / 1.003); },
    by(times) {
      this.perMm = Math.min(39, Math.max(1.1, this.perMm * times));
      this.isSet = true;
      localStorage.setItem("pixels-per-mm", String(this.perMm));
      this.show();
    },
    forget() {
      localStorage.removeItem("pixels-per-mm");
      this.isSet = false;
      this.sized("mm", 1);
    },
    show() { this.sized("px", this.perMm); },
    sized(unit, each) {
      for (const drawing of document.querySelectorAll("svg[data-wide]")) {
        drawing.setAttribute("width", `${drawing.dataset.wide * each}${unit}`);
        drawing.setAttribute("height", `${drawing.dataset.high * each}${unit}`);
      }
    },
    isUnset() { return !this.isSet; },
  }));
});

/* The rail of stages stands at the current one, where a narrow screen shows a part of it. */
function showStage() {
  const rail = document.querySelector(".rail"), current = rail?.querySelector("[aria-current]");
  if (current) rail.scrollLeft = current.offsetLeft - rail.offsetLeft - (rail.clientWidth - current.offsetWidth) / 2;
}
showStage();
document.addEventListener("htmx:afterSettle", showStage);
