// What every page of Tesoura shares: the desk's live link, clocks, copying, small pictures, keys.
import { answers, isLost, lost } from "./answering.js";

const meta = (name) => document.querySelector(`meta[name="${name}"]`)?.content;

// What is drawn again by itself waits while somebody types in it.
document.body.addEventListener("htmx:beforeRequest", (event) => {
  const { elt } = event.detail;
  const typing = document.activeElement?.closest("input, select, textarea");
  if (elt.dataset.unlessTyping !== undefined && typing && elt.contains(typing)) event.preventDefault();
});
// It was asked for before the typing began: what has been typed since is not taken away.
document.body.addEventListener("htmx:beforeSwap", ({ detail }) => {
  const typing = document.activeElement?.closest("input, select, textarea");
  const elt = detail.requestConfig?.elt;
  if (elt?.dataset?.unlessTyping !== undefined && typing && elt.contains(typing)) detail.shouldSwap = false;
});
document.body.addEventListener("htmx:configRequest", (event) => {
  event.detail.headers["X-CSRFToken"] = meta("csrf");
});

// The live link: the server says which topics changed, the parts of the page that show them ask again.
let tries = 0;
let socket;
function connect() {
  socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/live/desk/${meta("desk")}`);
  socket.onopen = () => {
    if (tries) announce(["feeds", "overlays", "session", "signals", "log", "moments", "files"]);
    // What changed between the drawing of the page and now was told to nobody.
    else socket.send(JSON.stringify({ since: document.querySelector('meta[name="desk"]').dataset.mark }));
    announce(panels());
    tries = 0;
    watched = "";
    watch();
    answers();
  };
  socket.onmessage = (event) => {
    const message = JSON.parse(event.data);
    if (message.kind === "hello" && message.build !== meta("build")) location.reload();
    if (message.topics) announce(message.topics);
    if (message.kind === "patch") follow(message.values);
  };
  socket.onclose = () => {
    lost();
    setTimeout(connect, Math.min(300 * 2 ** tries++, 5000) * (0.75 + Math.random() / 2));
  };
}
// Values that stand on the page are told as they change, without asking for anything again.
let watched = "";
function watch() {
  const names = [...new Set([...document.querySelectorAll("[data-signal]")].map((node) => node.dataset.signal))];
  const wish = JSON.stringify({ watch: names });
  if (wish === watched || socket?.readyState !== WebSocket.OPEN || (!names.length && !watched)) return;
  watched = wish;
  socket.send(wish);
}
function follow(values) {
  for (const node of document.querySelectorAll("[data-signal]")) {
    const text = values[node.dataset.signal];
    if (text === undefined) continue;
    if (node.dataset.as === "level") node.style.setProperty("--level", text);
    else if (node.textContent !== text) node.textContent = text;
  }
}
// What changes often is asked for again at most so often, but always once more after the last change.
const panels = () => [...document.querySelectorAll("[data-panel]")].map((one) => `instrument-${one.dataset.panel}`);
const spacing = { signals: 800, log: 500, files: 500, undo: 400 };
const told = {};
function announce(topics) {
  for (const topic of topics) {
    const state = (told[topic] ??= { at: 0, timer: 0 });
    if (state.timer) continue;
    const wait = Math.max(0, (spacing[topic] ?? (topic.startsWith("instrument-") ? 400 : 0)) - (Date.now() - state.at));
    state.timer = setTimeout(() => {
      Object.assign(state, { at: Date.now(), timer: 0 });
      document.body.dispatchEvent(new CustomEvent(`tesoura:${topic}`));
    }, wait);
  }
}
connect();

// Clocks that run from an instant.
function clock(seconds) {
  const pad = (number) => String(number).padStart(2, "0");
  const whole = Math.max(Math.floor(seconds), 0);
  return `${Math.floor(whole / 3600)}:${pad(Math.floor(whole / 60) % 60)}:${pad(whole % 60)}`;
}
function tick() {
  // A clock that goes on would say that all is well.
  if (isLost()) return;
  const now = Date.now() / 1000;
  for (const time of document.querySelectorAll("time[data-since]")) {
    const text = clock(now - Number(time.dataset.since));
    if (time.textContent !== text) time.textContent = text;
  }
}
setInterval(tick, 250);
tick();
document.body.addEventListener("htmx:afterSwap", () => { tick(); cover(); });
document.body.addEventListener("htmx:afterSettle", watch);
// What is just being typed is not taken away by news of something else: it is put back into the panel's new form.
const typed = new Map();
document.body.addEventListener("htmx:beforeSwap", ({ detail }) => {
  if (!detail.target.matches?.("[data-panel]")) return;
  const sent = detail.requestConfig?.formData;
  for (const field of detail.target.querySelectorAll("input[id]")) {
    if (field.value !== field.defaultValue && sent?.get(field.name) !== field.value) typed.set(field.id, field.value);
  }
});
document.body.addEventListener("htmx:afterSwap", () => {
  for (const [id, value] of typed) { const field = document.getElementById(id); if (field) field.value = value; }
  typed.clear();
});

// Copying: the button says that it has been done, and the words are read out.
async function toClipboard(text) {
  try {
    await navigator.clipboard.writeText(text);
  } catch {
    const field = Object.assign(document.createElement("textarea"), { value: text });
    document.body.append(field);
    field.select();
    document.execCommand("copy");
    field.remove();
  }
}
document.addEventListener("click", async (event) => {
  const button = event.target.closest("[data-copy]");
  if (!button) return;
  const value = button.dataset.copy;
  await toClipboard(value.startsWith("/") && !("copyPlain" in button.dataset) ? location.origin + value : value);
  const words = button.dataset.words ?? button.textContent;
  button.dataset.words = words;
  button.textContent = "Copied";
  button.setAttribute("aria-live", "polite");
  setTimeout(() => { button.textContent = words; }, 1600);
});

// Where nothing hovers, a control that is held tells what it would do, and does nothing.
const HELD_MS = 450;
let holding = 0;
let held = null;
document.addEventListener("pointerdown", ({ target, pointerType }) => {
  const control = pointerType === "touch" && target.closest(".control");
  if (!control) return;
  clearTimeout(holding);
  holding = setTimeout(() => { held = control; control.blur(); control.focus(); }, HELD_MS);
});
for (const over of ["pointerup", "pointercancel", "pointermove"]) document.addEventListener(over, ({ movementX, movementY }) => { if (over !== "pointermove" || Math.abs(movementX) + Math.abs(movementY) > 6) clearTimeout(holding); });
document.addEventListener("contextmenu", (event) => { if (event.target.closest?.(".control") && held) event.preventDefault(); });
document.addEventListener("click", (event) => {
  const was = held;
  held = null;
  if (was && event.target.closest(".control") === was) { event.preventDefault(); event.stopImmediatePropagation(); }
}, true);

// An end is rehearsed for oneself alone: what it would say, second by second, beside the button.
const rehearsing = {};
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-rehearse]");
  if (!button) return;
  const id = button.getAttribute("aria-describedby");
  const texts = [...JSON.parse(button.dataset.rehearse), "", ""];
  clearInterval(rehearsing[id]);
  const next = () => {
    const shown = document.getElementById(id);
    if (!shown || !texts.length) { if (shown) shown.value = ""; return void clearInterval(rehearsing[id]); }
    shown.value = texts.shift() || shown.value;
  };
  next();
  rehearsing[id] = setInterval(next, 1000);
});

// Secrets: shown when asked for, covered by asking again or after a while.
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-uncover]");
  if (!button) return;
  const shown = document.getElementById(button.dataset.uncover);
  const covered = shown.textContent !== shown.dataset.covered;
  shown.dataset.cover ??= shown.textContent;
  shown.textContent = covered ? shown.dataset.covered : shown.dataset.cover;
  button.textContent = covered ? "Shown · Hide" : "Hidden · Show";
});
function cover() {
  for (const button of document.querySelectorAll("[data-cover-after]:not([data-covering])")) {
    button.dataset.covering = "";
    // Whoever goes on working here has not left it.
    const later = () => setTimeout(() => button.isConnected && button.click(), Number(button.dataset.coverAfter) * 1000);
    let waits = later();
    const again = () => { clearTimeout(waits); if (button.isConnected) waits = later(); };
    for (const act of ["pointerdown", "keydown", "pointermove"]) document.addEventListener(act, again, { passive: true });
  }
}

// Small live pictures: the whole overlay, scaled to the width there is.
const fit = new ResizeObserver((entries) => {
  for (const { target } of entries) {
    const frame = target.querySelector("[data-small]");
    frame.style.transform = `scale(${target.clientWidth / Number(frame.getAttribute("width"))})`;
  }
});
for (const frame of document.querySelectorAll("[data-small]")) fit.observe(frame.parentElement);

// Fields that are asked for only with some choice of another.
function ask(form) {
  for (const field of form.querySelectorAll("[data-only-if]")) {
    const other = form.elements[field.dataset.onlyIf];
    field.hidden = !field.dataset.onlyWith.split(" ").includes(other?.value);
  }
  for (const field of form.querySelectorAll("[data-only-text]")) {
    field.hidden = !form.elements[field.dataset.onlyText]?.value;
  }
}
const askAll = () => { for (const form of document.querySelectorAll("form")) ask(form); };
for (const name of ["change", "input"]) document.addEventListener(name, ({ target }) => { if (target.form) ask(target.form); });
document.body.addEventListener("htmx:afterSettle", askAll);
askAll();

// A press that loads the page again leaves the focus where it was; where its button went, on what took its place.
const FOCUS_KEPT_MS = 10000;
const named = (button) => (button.getAttribute("aria-label") ?? button.textContent).trim();
document.addEventListener("submit", ({ target, submitter }) => {
  if (!submitter || target.matches("[hx-post]")) return;
  const places = [...document.querySelectorAll("main button")];
  sessionStorage.setItem("pressed", JSON.stringify({ path: location.pathname, at: Date.now(), id: submitter.id, words: named(submitter), place: places.indexOf(submitter) }));
});
const pressed = JSON.parse(sessionStorage.getItem("pressed") ?? "null");
sessionStorage.removeItem("pressed");
if (pressed && pressed.path === location.pathname && Date.now() - pressed.at < FOCUS_KEPT_MS && !document.querySelector("[autofocus]")) {
  const buttons = [...document.querySelectorAll("main button")];
  const there = (pressed.id && document.getElementById(pressed.id)) || buttons.find((one) => named(one) === pressed.words) || buttons[Math.min(pressed.place, buttons.length - 1)];
  (there && !there.disabled ? there : document.getElementById("work")).focus({ preventScroll: true });
}
// The same where a part of the page is drawn anew and what had the focus is gone.
let before = null;
document.body.addEventListener("htmx:beforeSwap", ({ detail }) => { before = detail.target.contains(document.activeElement) ? document.activeElement : null; });
document.body.addEventListener("htmx:afterSettle", ({ detail }) => {
  if (!before || before.isConnected || document.activeElement !== document.body) return;
  const target = detail.target.isConnected ? detail.target : document.getElementById(detail.target.id);
  const next = (before.id && document.getElementById(before.id)) || target?.querySelector("button:not([disabled]), a[href]");
  (next ?? document.getElementById("work")).focus({ preventScroll: true });
});

// Back keeps a form: what was typed and not sent is there again, but for keys, which are kept nowhere.
const typedKey = (form, at) => `typed:${location.pathname}:${form.id || at}`;
const kept = (form) => [...form.elements].filter((one) => one.name && !["hidden", "password", "file", "submit", "button"].includes(one.type) && !one.closest(".field-secret"));
const longForms = () => [...document.querySelectorAll("form.form")];
addEventListener("pagehide", () => {
  for (const [at, form] of longForms().entries()) {
    const values = kept(form).map((one) => (["checkbox", "radio"].includes(one.type) ? one.checked : one.value));
    sessionStorage.setItem(typedKey(form, at), JSON.stringify(values));
  }
});
if (performance.getEntriesByType("navigation")[0]?.type === "back_forward") {
  for (const [at, form] of longForms().entries()) {
    const values = JSON.parse(sessionStorage.getItem(typedKey(form, at)) ?? "null");
    const fields = kept(form);
    if (!values || values.length !== fields.length) continue;
    for (const [place, one] of fields.entries()) {
      if (["checkbox", "radio"].includes(one.type)) one.checked = values[place]; else one.value = values[place];
    }
    fields[0]?.dispatchEvent(new Event("input", { bubbles: true }));
  }
  askAll();
}

// What a click puts in: a signal or a function into a text, a match into its field.
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-insert-into] [data-insert]");
  if (button) {
    const box = button.closest("[data-insert-into]");
    const text = document.getElementById(box.dataset.insertInto);
    const [start, end] = [text.selectionStart, text.selectionEnd];
    let words = button.dataset.insert;
    // Inside braces a name or a function goes without braces of its own; a format goes before the closing one.
    const before = text.value.slice(0, start);
    const inside = before.lastIndexOf("{") > before.lastIndexOf("}");
    if ("insertBraces" in box.dataset && inside && words.startsWith("{")) words = words.slice(1, -1);
    text.setRangeText(words, start, end, "end");
    text.focus();
    text.dispatchEvent(new Event("input", { bubbles: true }));
  }
  const match = event.target.closest("[data-fill]");
  if (match) {
    const field = document.getElementById(match.dataset.fill);
    field.value = match.dataset.value;
    field.closest("details")?.setAttribute("open", "");
    field.focus();
  }
});

// Lists that are longer than a screen can be searched where they stand.
function sift(field) {
  const words = field.value.toLowerCase().split(/\s+/).filter(Boolean);
  for (const one of document.querySelectorAll(field.dataset.sift)) {
    const text = (one.dataset.sifted ?? one.textContent).toLowerCase();
    one.hidden = !words.every((word) => text.includes(word));
  }
}
for (const field of document.querySelectorAll("[data-sift]")) {
  field.addEventListener("input", () => sift(field));
  document.body.addEventListener("htmx:afterSettle", () => sift(field));
}

// Keys of values that are set by hand.
function byHand(key) {
  for (const hand of document.querySelectorAll("[data-hand]")) {
    const way = key && key === hand.dataset.up ? "up" : key && key === hand.dataset.down ? "down" : "";
    const button = way && hand.querySelector(`[data-step="${way}"]`);
    if (button) { button.click(); return true; }
  }
  return false;
}

// A file that is chosen is sent at once.
for (const input of document.querySelectorAll("[data-send-at-once]")) input.addEventListener("change", () => { if (input.files.length) input.form.submit(); });

// Keys.
const rooms = { d: "/", f: "/feeds/", s: "/signals/", i: "/instruments/", o: "/overlays/", c: "/cues/", t: "/files/", l: "/log/", r: "/reports/", p: "/preferences/" };
const dialog = document.getElementById("keys");
let going = 0;
document.querySelector("[data-keys-open]")?.addEventListener("click", () => dialog.showModal());
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input, textarea, select, dialog[open]")) return;
  if (event.key === "?") dialog.showModal();
  else if (event.key === "/" && document.querySelector("[data-find]")) document.querySelector("[data-find]").focus();
  else if (event.key === "g") { going = Date.now(); return; }
  else if (Date.now() - going < 1500 && rooms[event.key]) location.href = rooms[event.key];
  else if (byHand(event.key.toLowerCase())) { /* a value took a step */ }
  else return;
  event.preventDefault();
});
