/* Values typed ahead: a caliper on a cable sends them faster than a page answers. Each is kept here, under a name of its
   own, until the server says that it has it; they are sent one after another, so that none overtakes another, and said again
   under the same name when no answer came, so that none is kept twice. What was refused is shown at its cut. */
"use strict";

document.addEventListener("alpine:init", () => {
  const KEPT = "wry-falcon-values";
  const PATIENCE = 8000; // ms for an answer, then the same is said again
  const REST = 350; // ms without a key before the page looks again
  const WAITING = "waiting", REFUSED = "refused";

  const remembered = () => { try { return JSON.parse(sessionStorage.getItem(KEPT) ?? "[]"); } catch { return []; } };
  const split = (typed) => typed.trim().replace(/([\d.,])\s+(?=(mm|inch|inches|in|thou)\b|°)/gi, "$1").split(/\s+/).filter(Boolean);
  const newName = () => Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16).padStart(2, "0")).join("");
  const pause = (ms) => new Promise((done) => setTimeout(done, ms));

  /* What is on its way, of every page of this tab; `at` is what the form on this page takes values for. */
  window.Alpine.store("values", {
    items: remembered(),
    at: null,
    half: null, // what is half typed while the page is swapped
    isOpened: false,
    isSending: false,
    isBehind: false, // something was sent that the page does not show yet, also where a mark had it swapped meanwhile
    lastKey: 0,

    init() {
      window.Alpine.effect(() => {
        const items = JSON.stringify(this.items);
        try { sessionStorage.setItem(KEPT, items); } catch { /* they stay on the page at least */ }
      });
      this.send();
    },
    get here() { return this.at ? [this.at.action, this.at.track, this.at.source].join("|") : ""; },
    get cut() { return this.at?.cut ?? 0; },
    get mine() { return this.items.filter((item) => item.place === this.here); },

    open(at) {
      this.at = at;
      if (!this.isOpened && this.mine.length) this.isBehind = true;
      this.isOpened = true;
      this.later();
    },
    leave() { this.at = null; },

    /* The cut after one, as the server has it: the next; after the last the first that was passed over; 0 when all have a value. */
    after(cut, count) {
      const { known } = this.at;
      if (cut + count <= known.length) return cut + count;
      const taken = new Set(known.flatMap((n, i) => (n > 0 ? [i + 1] : [])));
      this.mine.forEach((item) => item.state !== REFUSED && item.cuts.forEach((each) => taken.add(each)));
      return known.findIndex((_, i) => !taken.has(i + 1)) + 1;
    },

    take(typed) {
      const { cut, known, action, track, source, typed_in, over, isWhole } = this.at;
      const count = Math.max(1, (isWhole ? [typed] : split(typed)).length);
      this.isBehind = true;
      if (typed) {
        const cuts = Array.from({ length: count }, (_, i) => cut + i);
        const ahead = this.mine.filter((item) => item.state === WAITING && item.cuts.includes(cut)).length;
        this.items.push({ key: newName(), place: this.here, action, track, source, typed_in, over, cut, cuts, typed,
                          known: (known[cut - 1] ?? 0) + ahead, state: WAITING, says: "", suggest: "", tries: 0 });
      }
      if (cut) this.at.cut = this.after(cut, count);
      this.send();
      this.later();
    },

    drop(item) {
      this.items = this.items.filter((each) => each.key !== item.key);
      this.later();
    },
    again(item, typed, known = item.known) {
      Object.assign(item, { key: newName(), typed, known, state: WAITING, says: "", suggest: "", tries: 0 });
      this.send();
    },

    async send() {
      if (this.isSending) return;
      this.isSending = true;
      for (let item; (item = this.items.find((each) => each.state === WAITING));) {
        const answer = await this.post(item);
        if (answer === null) {
          item.tries = (item.tries || 0) + 1; // one that an older page left has none
          await pause(Math.min(5000, 300 * item.tries));
        } else if (answer.refusal) {
          Object.assign(item, { state: REFUSED, says: answer.refusal, suggest: answer.suggest ?? "", isSecond: answer.is_second, has: answer.has });
        } else {
          if (this.at && item.place === this.here) item.cuts.forEach((cut) => { if (cut <= this.at.known.length) this.at.known[cut - 1] += 1; });
          this.drop(item);
          this.begin(item, answer.source);
        }
      }
      this.isSending = false;
      this.later();
    },

    /* The first value of a track begins its source: what was typed beside it, and this page, are of that source from then on. */
    begin(item, source) {
      if (item.source || !source) return;
      const isHere = item.place === this.here, own = [item.action, item.track, source].join("|");
      this.items.filter((each) => each.place === item.place).forEach((each) => Object.assign(each, { source: `${source}`, place: own }));
      if (isHere && this.at) this.at.source = `${source}`;
    },

    /* null: no answer, say it again. */
    async post(item) {
      const said = ["track", "source", "cut", "typed", "known", "key", "typed_in", "over"].filter((name) => item[name] !== undefined);
      const token = document.querySelector("input[name=csrfmiddlewaretoken]")?.value ?? "";
      try {
        const answer = await fetch(item.action, { method: "POST", redirect: "manual", signal: AbortSignal.timeout(PATIENCE),
          body: new URLSearchParams(said.map((name) => [name, item[name]])), headers: { Accept: "application/json", "X-CSRFToken": token } });
        if (answer.headers.get("Content-Type")?.includes("json")) return await answer.json();
        if (answer.status === 503) return null;
        if (answer.type === "opaqueredirect" || answer.status === 403) return { refusal: "Log in again; this value is kept here." };
        return { refusal: `That went wrong here (${answer.status}, number ${answer.headers.get("X-Request-ID") ?? "unknown"}).` };
      } catch { return null; }
    },

    /* Look again once nothing is on its way and nobody types. */
    clock: 0,
    later() { clearTimeout(this.clock); this.clock = setTimeout(() => this.look(), REST); },
    look() {
      if (!this.at || this.isSending || this.items.some((item) => item.state === WAITING)) return;
      if (document.querySelector("#typed")?.value || Date.now() - this.lastKey < REST) return this.later();
      if (!this.isBehind) return;
      this.isBehind = false;
      window.htmx.ajax("GET", this.at.again + (this.at.cut ? `&cut=${this.at.cut}` : ""), { target: "#stage", swap: "outerHTML" });
    },

    /* A page that looks again keeps what is half typed, and the hand where it is. */
    keepHalf() {
      const field = document.querySelector("#typed"), isHere = field !== null && document.activeElement === field;
      this.half = field && (field.value || isHere) ? { value: field.value, at: field.selectionStart, isHere } : null;
    },
  });

  /* The form of a value: one line and Enter. */
  window.Alpine.data("valueEntry", () => ({
    isAhead: false, // of the cut that the server showed
    init() {
      const { action, elements, dataset } = this.$root, said = (name) => elements[name]?.value;
      this.$store.values.open({
        action: new URL(action).pathname, track: said("track") ?? "", source: said("source") ?? "", typed_in: said("typed_in") ?? "", over: said("over"),
        cut: Number(said("cut")), known: dataset.known.split(",").map(Number), isWhole: dataset.whole === "1", again: dataset.again,
      });
      const { half } = this.$store.values, field = this.$refs.typed;
      this.$store.values.half = null;
      if (!half || field.value) return;
      field.value = half.value;
      if (half.isHere) { field.focus(); field.setSelectionRange(half.at, half.at); }
    },
    destroy() { this.$store.values.leave(); },
    get cut() { return this.$store.values.cut; },
    get source() { return this.$store.values.at?.source ?? ""; },
    get mine() { return this.$store.values.mine; },
    get words() {
      const { words, all } = this.$root.dataset;
      return this.cut ? words.replace("%", this.cut) : all;
    },
    typing() { this.$store.values.lastKey = Date.now(); },
    take() {
      const typed = this.$refs.typed.value.trim();
      this.$refs.typed.value = "";
      this.$store.values.take(typed);
      this.isAhead = true;
    },
    stateOf(item) {
      if (item.state === REFUSED) return item.says;
      return item.tries ? "no answer yet; kept here, said again" : "on its way";
    },
    redo(item) {
      this.$store.values.drop(item);
      if (item.cut) this.$store.values.at.cut = item.cut;
      this.isAhead = true;
      this.$refs.typed.value = item.typed;
      this.$refs.typed.focus();
    },
  }));

  /* A table of fields: what is pasted goes to a field each, and Enter to the next. */
  window.Alpine.data("valueGrid", () => ({
    paste(event) {
      const text = event.clipboardData.getData("text"), list = split(text);
      if (!event.target.matches("input") || (!/[\r\n\t]/.test(text.trim()) && list.length < 2)) return;
      event.preventDefault();
      const fields = [...this.$root.querySelectorAll("input.entry")], from = fields.indexOf(event.target), room = fields.length - from;
      list.slice(0, room).forEach((value, i) => { fields[from + i].value = value; });
      fields[Math.min(from + list.length, fields.length - 1)].focus();
      if (list.length > room) this.tell(`${list.length} values for ${room} fields: the last ones were left out.`);
    },
    goOn(event) {
      if (!event.target.matches("input.entry")) return;
      event.preventDefault();
      const fields = [...this.$root.querySelectorAll("input.entry")].filter((field) => field.offsetParent !== null);
      const next = fields[fields.indexOf(event.target) + 1];
      (next ?? this.$root.closest("form").querySelector("button:not([type=button])")).focus();
      next?.select();
    },
  }));
});
