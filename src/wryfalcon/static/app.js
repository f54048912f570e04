/* The keys of a page, and what every page does when something is pressed or swapped. Everything works without this file,
   with a mouse or the tab key. */
"use strict";

/* How wide the screen is, so that keys are drawn for it: said before anything else is asked for. */
const narrow = window.matchMedia("(width < 40rem)");
const layPaper = () => (document.cookie = `paper=${narrow.matches ? "phone" : "desk"}; path=/; max-age=31536000; samesite=lax`);
layPaper();
narrow.addEventListener("change", layPaper);

document.addEventListener("alpine:init", () => {
  const { Alpine } = window;
  const TO_READ = 1000; // ms that a control of the spindle has stood there before a key may press it
  const ANSWERED = 10000, TAKEN_AWAY = 1500; // ms: for an answer, and for a file, which leaves the page as it is
  const ALONE = 350; // ms: letters that come in a burst, as from a cable, are something typed
  const ROOMS = { b: 1, l: 2, m: 3, r: 4 };
  const PRESSED = {
    x: ".button-stop[data-stop]", u: "#unit-form button", f: "#finer", z: "[data-undo]", a: "[data-again]", v: "[data-show]", n: "[data-new-tag]",
    "[": "[data-stage-before]", "]": "[data-stage-after]",
  };
  const find = (selector) => document.querySelector(selector);
  const isPoll = (config) => config?.headers?.["X-Poll"] !== undefined;
  const toBody = () => !document.activeElement || document.activeElement === document.body;

  /* The body of every page: every other component sees what is here. */
  Alpine.data("page", () => ({
    told: "", // what went wrong, or waits to be read
    says: "", // what has changed, for who does not see it
    said: "",
    letters: true, // single letters press things, unless they are switched off on this device
    shown: "", // what a page that looks again shows, so that nothing comes back where nothing changed
    hand: null, // where the hand was before a part of the page was replaced
    going: { to: "", since: 0 },

    init() {
      try { this.letters = localStorage.getItem("letters") !== "off"; } catch { /* they stay on */ }
      this.$watch("letters", (on) => { try { localStorage.setItem("letters", on ? "on" : "off"); } catch { /* for this page at least */ } });
      this.said = this.saying();
      this.lookWhereTo();
      find("form [aria-invalid=true]:not([type=hidden])")?.focus();
    },
    tell(words) { this.told = words; },

    /* A press shows at once that it was taken, and is taken once: until an answer comes, or for a while where none will. */
    isBusy(form, control) {
      if (form.dataset.busy) return true;
      form.dataset.busy = "1";
      control?.setAttribute("aria-busy", "true");
      return false;
    },
    ready(form) {
      delete form.dataset.busy;
      form.querySelectorAll("[aria-busy]").forEach((control) => control.removeAttribute("aria-busy"));
    },
    backAgain() { document.querySelectorAll("form[data-busy]").forEach((form) => this.ready(form)); },
    submitted(event) {
      const form = event.target, control = event.submitter ?? form.querySelector("[data-go]");
      if (event.defaultPrevented || form.method !== "post") return;
      if (this.isBusy(form, control)) return event.preventDefault();
      setTimeout(() => this.ready(form), /\.\w{2,4}$/.test(new URL(form.action).pathname) ? TAKEN_AWAY : ANSWERED);
    },

    /* What htmx does, in its order. */
    configured({ detail }) { if (isPoll(detail) && this.shown) detail.headers["X-Was"] = this.shown; },
    asking(event) {
      const { elt, requestConfig } = event.detail;
      if (elt.matches("form") && requestConfig.verb === "post" && this.isBusy(elt, requestConfig.triggeringEvent?.submitter)) event.preventDefault();
    },
    answered({ detail }) {
      if (detail.elt.matches("form")) this.ready(detail.elt);
      if (detail.xhr?.status !== 204) this.shown = detail.xhr?.getResponseHeader("X-Stage") ?? "";
    },
    failed({ detail: { xhr } }) {
      this.tell(xhr.status === 503
        ? "Nothing can be written now: it was not kept. Do it again when this is over; reload the page for what to do."
        : `That went wrong here (${xhr.status}, number ${xhr.getResponseHeader("X-Request-ID") ?? "unknown"}). Look what was kept before you do it again.`);
    },
    unheard() { this.tell("No answer came. What you typed is still on this page; look again when the line is back."); },
    leaving({ detail }) {
      const control = document.activeElement;
      this.hand = detail.target?.contains(control) && !toBody() ? { id: control.id, name: this.nameOf(control) } : null;
      this.$store.values.keepHalf();
      if (detail.shouldSwap && !isPoll(detail.requestConfig)) this.tell("");
    },
    settled() {
      this.putHandBack();
      const now = this.saying();
      if (now !== this.said) this.says = now;
      this.said = now;
      this.lookWhereTo();
    },
    saying() { return [...document.querySelectorAll("#stage [data-say]")].map((each) => each.textContent.trim().replace(/\s+/g, " ")).join(" "); },

    /* The hand stays where it was; on Stop, once what it pressed has set metal moving. */
    nameOf(control) { return [control.tagName, control.name, control.value, control.closest("form")?.action, control.href].join("|"); },
    putHandBack() {
      const { hand } = this;
      this.hand = null;
      if (!hand || !toBody()) return;
      const same = (hand.id && document.getElementById(hand.id)) ||
        [...document.querySelectorAll("#stage :is(a, button, input, select, textarea, summary)")].find((control) => this.nameOf(control) === hand.name);
      (same ?? find("[data-stop]") ?? find("[data-go]"))?.focus({ preventScroll: true });
    },

    /* Going on: what sets the wheel going or stops it is never pressed blindly, by a key held down or just after it appeared. */
    lookWhereTo() {
      const control = find("[data-go]");
      const to = control ? [control.id, control.value, control.textContent.trim(), control.href ?? ""].join("|") : "";
      if (to !== this.going.to) this.going = { to, since: performance.now() };
    },
    goOn(event) {
      this.lookWhereTo();
      const control = find("[data-go]");
      if (!control || event.repeat) return;
      const isNew = performance.now() - this.going.since < TO_READ;
      if (control.matches("[data-spindle]") && isNew) return this.tell("The page has just changed: read it, then press g again.");
      control.click();
    },

    /* Single letters press things; a control of the page that listens to keys itself has them first. */
    isFree(event) {
      const { target, key } = event;
      if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey) return false;
      if (target.closest("input:not([type=checkbox], [type=radio]), select, textarea, dialog[open]")) return false;
      if (!this.letters && key.length === 1) return false;
      return !(key.startsWith("Arrow") && target.closest("input[type=radio], [role=region][tabindex]"));
    },
    key(event) {
      if (!this.isFree(event) || !this.isKey(event.key)) return;
      event.preventDefault();
      this.pressed(event.key, event);
    },
    isKey(key) { return key in PRESSED || key in ROOMS || ["/", "?", "g"].includes(key); },
    pressed(key, event) {
      if (key === "/") find("#find")?.focus();
      else if (key === "?") this.showKeys();
      else if (key === "g") this.goOn(event);
      else if (key in ROOMS) find(`.head nav a:nth-of-type(${ROOMS[key]})`)?.click();
      else if (key === "n" && !find(PRESSED.n)) this.takeIn();
      else find(PRESSED[key])?.click();
    },
    showKeys() { this.$refs.shortcuts?.showModal(); },
    takeIn() {
      const { takeIn } = find(".head")?.dataset ?? {};
      if (takeIn) location.assign(takeIn);
    },

    /* In an entry: up and down go to the cut before or after; one letter left alone marks the cut, or presses. */
    keyInEntry(event) {
      const { target: entry, key } = event;
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      if (key === "ArrowUp" || key === "ArrowDown") {
        const link = find(key === "ArrowUp" ? "[data-cut-before]" : "[data-cut-after]");
        if (link) { event.preventDefault(); link.click(); }
      } else if (entry.value === "" && key === "Escape") entry.blur();
      else if (entry.value === "" && key.length === 1 && this.letters) this.markSoon(entry, key);
    },
    markSoon(entry, letter) {
      const mark = `[data-mark="${CSS.escape(letter)}"]`;
      const isPress = entry.inputMode === "decimal" && /^[a-z]$/.test(letter) && this.isKey(letter);
      if (!find(mark) && !isPress) return;
      setTimeout(() => {
        if (!entry.isConnected || entry.value !== letter) return;
        entry.value = "";
        if (find(mark)) find(mark).click();
        else this.pressed(letter, new KeyboardEvent("keydown", { key: letter }));
      }, ALONE);
    },

    /* Pasted columns and lines stay apart. */
    pasted(event) {
      const field = event.target, text = event.clipboardData.getData("text").trim();
      if (event.defaultPrevented || !field.matches("input.entry") || !/[\r\n\t]/.test(text)) return;
      event.preventDefault();
      field.setRangeText(text.replace(/[\r\n\t]+/g, " "), field.selectionStart, field.selectionEnd, "end");
      field.dispatchEvent(new Event("input", { bubbles: true }));
    },
  }));

  /* The rail of stages stands at the current one, where a narrow screen shows a part of it. */
  Alpine.data("rail", () => ({
    init() {
      const rail = this.$root, current = rail.querySelector("[aria-current]");
      if (current) rail.scrollLeft = current.offsetLeft - rail.offsetLeft - (rail.clientWidth - current.offsetWidth) / 2;
    },
  }));

  /* Settle: arrows pick a cut and step its depth, a digit or letter sets it. */
  Alpine.data("lanes", () => ({
    key(event) {
      const { key } = event, to = { ArrowRight: 1, ArrowLeft: -1 }[key], by = { ArrowUp: -1, ArrowDown: 1 }[key];
      if (!this.isFree(event)) return;
      if (to ? this.pick(to) : by ? this.step(by) : key.length === 1 && this.setTo(key)) event.preventDefault();
    },
    pick(by) {
      const lanes = [...this.$root.querySelectorAll("[data-lane]")];
      const at = lanes.findIndex((lane) => lane.dataset.lane === this.$root.dataset.picked);
      const next = lanes[at < 0 ? (by > 0 ? 0 : lanes.length - 1) : at + by];
      next?.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
      return true;
    },
    step(by) {
      const select = find("#overrule-label");
      if (select) select.selectedIndex = Math.min(Math.max(select.selectedIndex + by, 0), select.options.length - 1);
      return select !== null;
    },
    setTo(label) {
      const select = find("#overrule-label"), option = [...(select?.options ?? [])].find((each) => each.value.toLowerCase() === label.toLowerCase());
      if (!option) return false;
      select.value = option.value;
      find("#overrule-reason")?.focus();
      return true;
    },
  }));

  /* Read, depth keys: a digit marks that tumbler flush, with Shift unsure. */
  Alpine.data("tumblers", () => ({
    key(event) {
      const digit = /^(?:Digit|Numpad)([1-9])$/.exec(event.code)?.[1];
      const box = digit && this.isFree(event) && this.$root.querySelector(`input[name=${event.shiftKey ? "unsure" : "flush"}][value="${digit}"]`);
      if (!box) return;
      event.preventDefault();
      box.click();
    },
  }));

  /* What lies on the bench says which questions are asked; one that is answered already stays in sight. */
  Alpine.data("onBench", () => ({
    lies: "",
    isCoded: false,
    isBack: false,
    init() { this.look(); },
    look() {
      const said = (name) => this.$root.querySelector(`[name=${name}]`)?.value ?? "";
      this.lies = said("on_bench");
      this.isCoded = said("code_on_it") !== "";
      this.isBack = said("brought_back") !== "";
    },
  }));

  /* Whether every safety tick is set. */
  Alpine.data("checks", () => ({
    left: 1,
    init() { this.count(); },
    count() { this.left = this.$root.querySelectorAll("input[type=checkbox]:not(:checked)").length; },
  }));

  /* One pass of a mill, timed: steadily, neither slower nor harder. */
  Alpine.data("passTimer", () => ({
    left: 0,
    ticking: null,
    begin() {
      this.left = Number(this.$root.dataset.seconds);
      clearInterval(this.ticking);
      this.ticking = setInterval(() => { this.left -= 1; if (this.left <= 0) clearInterval(this.ticking); }, 1000);
    },
    destroy() { clearInterval(this.ticking); },
    get words() {
      if (this.ticking === null) return `About ${this.$root.dataset.seconds} s a pass, steadily, against the mill.`;
      return this.left > 0 ? `${this.left} s` : "The pass is over.";
    },
  }));

  /* How many pixels of this glass are a millimetre, told by a card laid on it: kept on the device, never sent. */
  Alpine.data("glass", () => ({
    perMm: 96 / 25.4,
    isSet: false,
    init() {
      const kept = Number(localStorage.getItem("pixels-per-mm"));
      if (kept > 1 && kept < 40) this.set(kept);
    },
    by(times) {
      this.set(Math.min(39, Math.max(1.1, this.perMm * times)));
      localStorage.setItem("pixels-per-mm", String(this.perMm));
    },
    set(perMm) {
      Object.assign(this, { perMm, isSet: true });
      this.size("px", perMm);
    },
    forget() {
      localStorage.removeItem("pixels-per-mm");
      this.isSet = false;
      this.size("mm", 1);
    },
    printing() { this.size("mm", 1); },
    printed() { if (this.isSet) this.size("px", this.perMm); },
    size(unit, each) {
      for (const drawing of document.querySelectorAll("svg[data-wide]")) {
        drawing.setAttribute("width", `${drawing.dataset.wide * each}${unit}`);
        drawing.setAttribute("height", `${drawing.dataset.high * each}${unit}`);
      }
    },
  }));
});
