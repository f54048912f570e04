/* Values typed ahead: a caliper on a cable sends them faster than a page answers. Each is kept here, under a name of its
   own, until the server says that it has it; they are sent one after another, so that none overtakes another, and said again
   under the same name when no answer came, so that none is kept twice. What was refused is shown at its cut. */
"use strict";

(() => {
  const STORE = "wry-falcon-values";
  const PATIENCE = 8000; // ms for an answer, then the same is said again
  const REST = 350; // ms without a key before the page looks again
  let items = read();
  let sending = false;
  let lastKey = 0;
  let asked = false; // something was sent that the page does not show yet, also where a mark had it swapped meanwhile
  let kept = null; // what is half typed while the page is swapped

  function read() {
    try { return JSON.parse(sessionStorage.getItem(STORE) ?? "[]"); } catch { return []; }
  }
  function store() {
    try { sessionStorage.setItem(STORE, JSON.stringify(items)); } catch { /* they stay on the page at least */ }
  }
  const form = () => document.querySelector("form[data-values]");
  const entry = () => document.querySelector("[data-value-entry]");
  const place = (of) => [of.getAttribute("action"), of.elements.track?.value ?? "", of.elements.source?.value ?? ""].join("|");
  const mine = () => { const of = form(); return of ? items.filter((item) => item.place === place(of)) : []; };
  const values = (typed) => typed.trim().replace(/([\d.,])\s+(?=(mm|inch|inches|in|thou)\b|°)/gi, "$1").split(/\s+/).filter(Boolean);
  const knownOf = (of) => of.dataset.known.split(",").map(Number);
  const name = () => Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16).padStart(2, "0")).join("");

  /* The cut after one, as the server has it: the next; after the last the first that was passed over; 0 when all have a value. */
  function after(of, cut, count) {
    const known = knownOf(of), cuts = known.length;
    if (cut + count <= cuts) return cut + count;
    const taken = new Set(known.flatMap((n, i) => (n > 0 ? [i + 1] : [])));
    mine().forEach((item) => item.state !== "refused" && item.cuts.forEach((each) => taken.add(each)));
    return known.findIndex((_, i) => !taken.has(i + 1)) + 1;
  }

  function take(of) {
    const field = of.querySelector("[data-value-entry]");
    const typed = field.value.trim(), cut = Number(of.elements.cut.value);
    const list = of.dataset.whole === "1" ? [typed] : values(typed);
    const count = Math.max(1, list.length);
    field.value = "";
    if (typed) {
      const cuts = Array.from({ length: count }, (_, i) => cut + i);
      const known = knownOf(of)[cut - 1] ?? 0;
      const ahead = mine().filter((item) => item.state === "waiting" && item.cuts.includes(cut)).length;
      items.push({ key: name(), place: place(of), action: of.getAttribute("action"), cut, cuts, typed, known: known + ahead, state: "waiting",
                   track: of.elements.track?.value ?? "", source: of.elements.source?.value ?? "",
                   typed_in: of.elements.typed_in?.value ?? "", over: of.elements.over?.value });
      store();
    }
    if (cut) goTo(of, after(of, cut, count));
    show();
    send();
    later();
  }

  function goTo(of, cut) {
    of.elements.cut.value = cut;
    const label = of.querySelector("[data-cut-shown]");
    if (label) label.textContent = cut ? label.dataset.words.replace("%", cut) : label.dataset.all;
  }

  function show() {
    const list = document.querySelector("[data-queue]");
    if (!list) return;
    list.replaceChildren(...mine().map((item) => {
      const line = document.createElement("li");
      line.dataset.state = item.state;
      const words = document.createElement("span");
      words.textContent = `${item.cut ? `Cut ${item.cut}` : "No cut"}: ${item.typed}`;
      line.append(words);
      const says = document.createElement("span");
      says.className = item.state === "refused" ? "wrong" : "help";
      says.textContent = item.state === "refused" ? item.says : item.tries ? "no answer yet; kept here, said again" : "on its way";
      line.append(says);
      if (item.state === "refused") {
        if (item.suggest) line.append(button(`Yes, ${item.suggest}`, () => again(item, item.suggest)));
        if (item.isSecond) line.append(button("Yes, a second look", () => again(item, item.typed, item.has)));
        line.append(button("Type it again", () => redo(item)));
        line.append(button("Leave it out", () => drop(item)));
      }
      return line;
    }));
  }

  function button(words, act) {
    const made = document.createElement("button");
    made.type = "button";
    made.className = "button button-quiet";
    made.textContent = words;
    made.addEventListener("click", act);
    return made;
  }

  function drop(item) { items = items.filter((each) => each !== item); store(); show(); later(); }
  function again(item, typed, known = item.known) {
    Object.assign(item, { key: name(), typed, known, state: "waiting", says: "", suggest: "", tries: 0 });
    store(); show(); send();
  }
  function redo(item) {
    drop(item);
    const of = form();
    if (!of) return;
    if (item.cut) goTo(of, item.cut);
    entry().value = item.typed;
    entry().focus();
  }

  async function send() {
    if (sending) return;
    sending = true;
    for (let item; (item = items.find((each) => each.state === "waiting"));) {
      const answer = await post(item);
      if (answer === null) {
        item.tries = (item.tries ?? 0) + 1;
        store(); show();
        await new Promise((done) => setTimeout(done, Math.min(5000, 300 * item.tries)));
      } else if (answer.refusal) {
        Object.assign(item, { state: "refused", says: answer.refusal, suggest: answer.suggest ?? "", isSecond: answer.is_second, has: answer.has });
        store(); show();
      } else {
        count(item);
        items = items.filter((each) => each !== item);
        begin(item, answer.source);
        store(); show();
      }
    }
    sending = false;
    later();
  }

  /* The first value of a track begins its source: what was typed beside it, and this page, are of that source from then on. */
  function begin(item, source) {
    if (item.source || !source) return;
    const of = form(), is_here = of && place(of) === item.place, own = [item.action, item.track, source].join("|");
    items.filter((each) => each.place === item.place).forEach((each) => Object.assign(each, { source: `${source}`, place: own }));
    if (is_here && of.elements.source) of.elements.source.value = source;
  }

  function count(item) {
    const of = form();
    if (!of || place(of) !== item.place) return;
    const known = knownOf(of);
    item.cuts.forEach((cut) => { if (known[cut - 1] !== undefined) known[cut - 1] += 1; });
    of.dataset.known = known.join(",");
  }

  /* null: no answer, say it again. */
  async function post(item) {
    const body = new URLSearchParams({ track: item.track, source: item.source, cut: item.cut, typed: item.typed, known: item.known, key: item.key, typed_in: item.typed_in ?? "" });
    if (item.over !== undefined) body.set("over", item.over);
    const token = document.querySelector("input[name=csrfmiddlewaretoken]")?.value ?? "";
    const stop = new AbortController(), clock = setTimeout(() => stop.abort(), PATIENCE);
    try {
      const answer = await fetch(item.action, { method: "POST", body, redirect: "manual", signal: stop.signal,
        headers: { Accept: "application/json", "X-CSRFToken": token } });
      if (answer.headers.get("Content-Type")?.includes("json")) return await answer.json();
      if (answer.status === 503) return null;
      if (answer.type === "opaqueredirect" || answer.status === 403) return { refusal: "Log in again; this value is kept here." };
      return { refusal: `That went wrong here (${answer.status}, number ${answer.headers.get("X-Request-ID") ?? "unknown"}).` };
    } catch { return null; } finally { clearTimeout(clock); }
  }

  /* Look again once nothing is on its way and nobody types. */
  let clock;
  function later() { clearTimeout(clock); clock = setTimeout(look, REST); }
  function look() {
    const of = form();
    if (!of || sending || items.some((item) => item.state === "waiting")) return;
    if (entry()?.value || Date.now() - lastKey < REST) return later();
    if (!asked) return;
    asked = false;
    const cut = Number(of.elements.cut.value);
    window.htmx.ajax("GET", of.dataset.after + (cut ? `&cut=${cut}` : ""), { target: "#stage", swap: "outerHTML" });
  }

  document.addEventListener("submit", (event) => {
    if (!event.target.matches?.("form[data-values]") || !window.htmx) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    asked = true;
    take(event.target);
  }, true);
  document.addEventListener("input", (event) => { if (event.target.matches("[data-value-entry]")) lastKey = Date.now(); });

  /* A page that looks again keeps what is half typed, and the hand where it is. */
  document.addEventListener("htmx:beforeSwap", () => {
    const field = entry();
    kept = field && (field.value || document.activeElement === field)
      ? { value: field.value, at: field.selectionStart, isHere: document.activeElement === field } : null;
  });
  document.addEventListener("htmx:afterSwap", () => {
    const field = entry();
    if (kept && field && !field.value) {
      field.value = kept.value;
      if (kept.isHere) { field.focus(); field.setSelectionRange(kept.at, kept.at); }
    }
    kept = null;
    show();
  });
  document.addEventListener("DOMContentLoaded", () => { show(); const of = form(); if (of && mine().length) asked = true; send(); });

  /* Pasted columns and lines stay apart; in a table of fields each value goes to a field of its own, and Enter to the next. */
  document.addEventListener("paste", (event) => {
    const field = event.target;
    if (!field.matches?.("input.entry")) return;
    const text = event.clipboardData.getData("text");
    if (!/[\r\n\t]/.test(text.trim()) && !(field.closest("[data-value-grid]") && values(text).length > 1)) return;
    event.preventDefault();
    const grid = field.closest("[data-value-grid]");
    if (grid) {
      const fields = [...grid.querySelectorAll("input.entry")], from = fields.indexOf(field), list = values(text);
      list.slice(0, fields.length - from).forEach((value, i) => { fields[from + i].value = value; });
      fields[Math.min(from + list.length, fields.length - 1)].focus();
      if (list.length > fields.length - from) window.tellWords?.(`${list.length} values for ${fields.length - from} fields: the last ones were left out.`);
    } else {
      const words = text.trim().replace(/[\r\n\t]+/g, " ");
      field.setRangeText(words, field.selectionStart, field.selectionEnd, "end");
      field.dispatchEvent(new Event("input", { bubbles: true }));
    }
  });
  document.addEventListener("keydown", (event) => {
    const grid = event.target.closest?.("[data-value-grid]");
    if (!grid || event.key !== "Enter" || !event.target.matches("input.entry")) return;
    event.preventDefault();
    const fields = [...grid.querySelectorAll("input.entry")].filter((field) => field.offsetParent !== null);
    const next = fields[fields.indexOf(event.target) + 1];
    (next ?? grid.closest("form").querySelector("button:not([type=button])")).focus();
    next?.select();
  });
})();
