// The mat: choosing, moving, measuring, and sending each edit to the draft. What pieces say, where they lie and what
// does not fit come from Tesoura.
import { furnish } from "./panel.js";
import "../shared/files.js";
import { forget, load, say, setScene } from "../shared/drawing.js";
import { bindDragging } from "./drag.js";
import { bindKeys } from "./keys.js";
import { drawMarks, drawRulers } from "./marks.js";

const $ = (id) => document.getElementById(id);
const mat = $("mat");
const base = `/overlays/${mat.dataset.overlay}`;
const csrf = document.querySelector('meta[name="csrf"]').content;
const kept = (name, fallback) => sessionStorage.getItem(`mat:${base}:${name}`) ?? fallback;

let measured;
export const desk = {
  mat, stage: $("overlay"), cloth: mat.querySelector(".cloth"), window: mat.querySelector(".window"),
  width: Number(mat.dataset.width), height: Number(mat.dataset.height), rev: Number(mat.dataset.rev),
  chosen: mat.dataset.chosen.split(",").filter(Boolean), boxes: {}, marked: [], guides: [], safe: "yes", sights: {},
  scale: 1, zoom: Number(kept("zoom", "0")), scene: "", shownWith: kept("with", "live"), moving: false,
  id: Math.random().toString(36).slice(2),
  // Once it is known where pieces lie; what is pressed before that waits.
  measured: new Promise((done) => { measured = done; }),
  node: (id) => $("overlay").querySelector(`[data-piece="${CSS.escape(id)}"]`),
};

// Scale: to fit unless zoomed

export function fit() {
  const room = desk.window.clientWidth;
  const high = Math.max(innerHeight - 330, 260);
  const whole = Math.min(room / desk.width, high / desk.height, 4);
  desk.scale = desk.zoom || whole;
  desk.cloth.style.width = `${desk.width * desk.scale}px`;
  desk.cloth.style.height = `${desk.height * desk.scale}px`;
  Object.assign(desk.stage.style, { width: `${desk.width}px`, height: `${desk.height}px`, transform: `scale(${desk.scale})` });
  $("zoom-now").textContent = `${Math.round(desk.scale * 100)} %`;
  drawRulers(desk);
  drawMarks(desk);
}

export function zoom(by) {
  desk.zoom = by === 0 ? 0 : Math.min(Math.max(desk.scale * by, 0.05), 4);
  sessionStorage.setItem(`mat:${base}:zoom`, desk.zoom);
  fit();
}

// Choosing

export function choose(ids, add) {
  const whole = ids.flatMap((id) => {
    const group = desk.boxes[id]?.group;
    return group && !add?.single ? Object.keys(desk.boxes).filter((one) => desk.boxes[one].group === group) : [id];
  });
  const before = desk.chosen.join();
  if (add?.toggle) {
    const all = whole.every((id) => desk.chosen.includes(id));
    desk.chosen = all ? desk.chosen.filter((id) => !whole.includes(id)) : [...new Set([...desk.chosen, ...whole])];
  } else desk.chosen = whole;
  if (desk.chosen.join() === before) return;
  markChosen();
  refresh();
}

export function markChosen() {
  for (const piece of desk.stage.querySelectorAll("[data-piece]")) {
    const picked = desk.chosen.includes(piece.dataset.piece);
    piece.classList.toggle("chosen", picked);
    piece.tabIndex = 0;
    piece.setAttribute("role", "button");
    piece.setAttribute("aria-pressed", String(picked));
    piece.setAttribute("aria-label", `${desk.boxes[piece.dataset.piece]?.name ?? "Piece"}: move with the arrow keys`);
  }
  $("air-piece").value = desk.chosen.join();
  history.replaceState(null, "", `?piece=${desk.chosen.join()}`);
  drawMarks(desk);
}

// Sending edits. Those made while one is under way go together in the next; a lost link loses none.

let waiting = [];
let sending = null;
let timer = 0;

export function edit(edits, soon = 0) {
  for (const one of [edits].flat()) {
    const last = waiting[waiting.length - 1];
    const same = one.do === "change" && last?.do === "change" && last.scene === one.scene && last.pieces.join() === one.pieces.join();
    if (same) Object.assign(last.set, one.set); else waiting.push(structuredClone(one));
  }
  clearTimeout(timer);
  timer = setTimeout(send, soon);
}

export const change = (set, soon = 140, pieces = desk.chosen) => pieces.length && edit({ do: "change", pieces: [...pieces], set, scene: desk.scene }, soon);

function request(path, body, keepalive = false) {
  const told = { chosen: desk.chosen, scene: desk.scene, with: desk.shownWith, window: desk.id, seen: desk.rev };
  return fetch(base + path, { method: "POST", keepalive, headers: { "Content-Type": "application/json", "X-CSRFToken": csrf }, body: JSON.stringify({ ...told, ...body }) });
}

async function send() {
  if (sending) return sending;
  if (!waiting.length) return null;
  const edits = waiting;
  waiting = [];
  sending = post("/edits", { edits });
  const done = await sending;
  sending = null;
  if (!done) {
    waiting = [...edits, ...waiting];
    $("saved").textContent = "Not saved: Tesoura isn't answering. Retrying.";
    timer = setTimeout(send, 1000);
  } else if (waiting.length) await send();
  return done;
}

// A change that still waits when the page is left goes along.
addEventListener("pagehide", () => { if (waiting.length) request("/edits", { edits: waiting }, true); });

async function post(path, body) {
  const then = desk.chosen.join();
  try {
    const answer = await request(path, body);
    if (answer.status === 404 || answer.status === 400) { location.reload(); return true; }
    if (![200, 409, 422].includes(answer.status)) return false;
    show(await answer.json(), Object.assign({}, ...(body.edits ?? []).map((one) => one.set ?? {})), then);
    return true;
  } catch {
    return false;
  }
}

export async function step(way) {
  clearTimeout(timer);
  await send();
  await post(`/${way}`, {});
}

let asked = 0;
export async function refresh() {
  const mine = ++asked;
  const then = desk.chosen.join();
  const query = new URLSearchParams({ chosen: desk.chosen.join(), scene: desk.scene, with: desk.shownWith, window: desk.id, seen: desk.rev });
  const answer = await fetch(`${base}/state?${query}`).catch(() => null);
  const state = answer?.ok ? await answer.json() : null;
  // What was done meanwhile is told anew by the answer to it.
  if (state && mine === asked && !sending && !waiting.length && !desk.moving) show(state, {}, then);
}

// Showing what came back

// What this page itself has set stays: what is unfolded, and what makes a piece reachable by keyboard.
const OURS = ["open", "tabindex", "role"];
const morph = (node, html, ignoreActiveValue = true) => window.Idiomorph.morph(node, html, { morphStyle: "innerHTML", ignoreActiveValue, callbacks: { beforeAttributeUpdated: (name, one) => !(OURS.includes(name) && (name !== "open" || one.tagName === "DETAILS")) } });

function show(state, sent, then) {
  const sized = state.width !== desk.width || state.height !== desk.height;
  for (const name of ["rev", "width", "height", "marked", "guides", "safe", "sights"]) desk[name] = state[name];
  // Where a piece has been moved to since, the answer to an earlier move does not know.
  if (!waiting.length) desk.boxes = state.boxes;
  measured();
  // Something else may have been chosen since this was asked for; then it is asked for again.
  const chosenSince = desk.chosen.join() !== then;
  const again = waiting.length || desk.moving || chosenSince;
  if (!again) desk.chosen = state.chosen;
  if (chosenSince) setTimeout(refresh);
  if (!desk.moving) {
    const focused = document.activeElement?.dataset?.piece;
    morph(desk.stage, state.stage, false);
    forget(desk.stage);
    for (const piece of desk.stage.querySelectorAll(".piece")) piece.motion = null;
    if (focused) desk.node(focused)?.focus({ preventScroll: true });
  }
  morph($("pieces"), state.list, false);
  // What another window did is shown in the field one stands in, too; what one types oneself is left as it is.
  if (!again) { morph($("choices"), state.choices, !state.others?.length); unfold(); }
  if (state.others?.length) $("told").textContent = `Changed in another window: ${state.others.join("; ")}.`;
  morph($("findings"), state.findings, false);
  morph($("differs"), state.differs, false);
  $("put-on-air").disabled = !state.draft;
  for (const way of ["undo", "redo"]) { $(way).disabled = !state[way]; $(way).title = state[way]; }
  $("size-now").textContent = `${state.width} × ${state.height} px`;
  $("css-wrong").replaceChildren(...[...state.own_wrong, ...(state.own_wrong.length ? ["It is off until the error is fixed."] : [])].map((words) => Object.assign(document.createElement("p"), { className: "wrong", textContent: words })));
  showGuides();
  if (sized) fit();
  markChosen();
  if (state.wrong) tell(state, sent);
  showRefused();
  document.fonts.ready.then(() => drawMarks(desk));
}

function tell(state, sent) {
  const bad = Object.entries(state.wrong);
  for (const [name, typed] of Object.entries(sent)) {
    if (state.wrong[name]) refused.set(name, { typed, message: state.wrong[name], of: desk.chosen.join() });
    else { refused.delete(name); wrong(name, ""); }
  }
  const said = [...state.told, ...bad.filter(([name]) => !$(`c-${name}`)).map(([, words]) => words)];
  $("told").textContent = [...new Set(said)].join(" ") || state.said || "";
  $("saved").textContent = bad.length ? "Saved, except for the fields with errors." : `Draft saved at ${new Date().toLocaleTimeString("en-GB")}.`;
}

// What was typed and refused stays in its field with what is wrong, until it is put right or something else is chosen.
const refused = new Map();
function showRefused() {
  for (const [name, { typed, message, of }] of refused) {
    const input = $(`c-${name}`);
    if (of !== desk.chosen.join()) { refused.delete(name); continue; }
    if (input && input !== document.activeElement) input.value = typed;
    wrong(name, message);
  }
}

function wrong(name, message) {
  const input = $(`c-${name}`);
  if (!input) return;
  const id = `${input.id}-wrong`;
  $(id)?.remove();
  input.toggleAttribute("aria-invalid", Boolean(message));
  if (!message) return input.removeAttribute("aria-errormessage");
  input.closest(".field")?.append(Object.assign(document.createElement("p"), { id, className: "wrong", textContent: message }));
  input.setAttribute("aria-invalid", "true");
  input.setAttribute("aria-errormessage", id);
}

// The panel of choices

const choices = $("choices");
choices.addEventListener("input", ({ target }) => {
  if (target.type === "file") return;
  if (target.dataset.for) {
    const text = $(target.dataset.for);
    text.value = target.value.toUpperCase();
    return void change({ [text.name]: text.value });
  }
  if (!target.name) return;
  if (target.type === "checkbox") return void change({ [target.name]: target.checked ? "yes" : "no" }, 0);
  if (target.name === "look" && !target.value) return;
  if (target.name === "grow_toward") return void heldBy(target.value);
  const swatch = choices.querySelector(`[data-for="${target.id}"]`);
  if (swatch && /^#[0-9a-f]{6}$/i.test(target.value)) swatch.value = target.value;
  change({ [target.name]: target.value }, target.tagName === "SELECT" ? 0 : 140);
});
choices.addEventListener("submit", (event) => event.preventDefault());
furnish(choices, change);

// A group of choices that was opened stays open, whichever piece is chosen next.
const unfolded = new Set(JSON.parse(kept("unfolded", "[]")));
choices.addEventListener("toggle", ({ target }) => {
  if (!target.matches("details.fold")) return;
  unfolded[target.open ? "add" : "delete"](target.id);
  sessionStorage.setItem(`mat:${base}:unfolded`, JSON.stringify([...unfolded]));
}, true);
function unfold() {
  for (const one of choices.querySelectorAll("details.fold")) if (unfolded.has(one.id) !== one.open) one.open = unfolded.has(one.id);
}
unfold();

// When a text is held by another side than before, its numbers change and the text stays where it is.
function heldBy(toward) {
  const at = desk.boxes[desk.chosen[0]];
  change({ grow_toward: toward, x: Math.round({ right: at.x, left: at.x + at.width, both: at.x + at.width / 2 }[toward]) }, 0);
}

let lastWording = null;
choices.addEventListener("focusin", ({ target }) => { if (target.matches("[data-inserts]")) lastWording = target.id; });

function insert(words) {
  const wording = $(lastWording) ?? choices.querySelector("[data-inserts]");
  if (!wording) return;
  const before = wording.value.slice(0, wording.selectionStart);
  // Inside braces a name or a function goes without braces of its own.
  if (before.lastIndexOf("{") > before.lastIndexOf("}") && words.startsWith("{")) words = words.slice(1, -1);
  wording.setRangeText(words, wording.selectionStart, wording.selectionEnd, "end");
  wording.focus();
  change({ [wording.name]: wording.value });
}

export function act(name, more = {}) {
  if (desk.chosen.length) edit({ do: name, pieces: [...desk.chosen], scene: desk.scene, ...more });
}

document.querySelector("main").addEventListener("click", (event) => {
  const button = event.target.closest("button");
  if (!button) return;
  if (button.dataset.seeWith) { $("shown-with").value = button.dataset.seeWith; $("shown-with").dispatchEvent(new Event("change")); return; }
  const { insert: words, pick, set, of, to, do: name, along, off, reset, kind, width, edit: mend } = button.dataset;
  if (words) insert(words);
  else if (pick) { choose([pick], { toggle: event.shiftKey, single: event.altKey }); if (button.classList.contains("pick-finding")) desk.node(pick)?.focus({ preventScroll: true }); }
  else if (set) edit({ do: "change", pieces: [of], set: { [set]: to } });
  else if (name) act(name, { to, along, off: Boolean(off) });
  else if (reset) change({ [reset]: null }, 0);
  else if ("resetAll" in button.dataset) change(Object.fromEntries([...choices.querySelectorAll(".own [name]")].map((one) => [one.name, null])), 0);
  else if (kind) { edit({ do: "add", kind }); $("add-drop").open = false; }
  else if (width) { edit({ do: "size", width_px: width, height_px: button.dataset.height, scale: $("s-scale").checked }); $("size-drop").open = false; }
  else if (mend) { const one = JSON.parse(mend); choose(one.pieces); edit(one); }
});

for (const way of ["undo", "redo"]) $(way).addEventListener("click", () => step(way));
$("size-form").addEventListener("submit", (event) => { event.preventDefault(); edit({ do: "size", width_px: $("s-width").value, height_px: $("s-height").value, scale: $("s-scale").checked }); $("size-drop").open = false; });
for (const [id, name] of [["set-safe", "safe"], ["set-motion", "motion"]]) $(id).addEventListener("change", ({ target }) => edit({ do: "settings", set: { [name]: target.checked ? "yes" : "no" } }));
$("set-form").addEventListener("change", ({ target }) => edit({ do: "settings", set: { form: target.value } }));
$("c-css").addEventListener("input", ({ target }) => edit({ do: "settings", set: { css: target.value } }, 400));

// Files

document.querySelector("main").addEventListener("change", async ({ target }) => {
  if (!target.dataset?.add || !target.files.length) return;
  const [file, { add, into }] = [target.files[0], target.dataset];
  const most = { picture: 20, scenery: 20, video: 80 }[add];
  target.value = "";
  if (file.size > most * 1e6) { $("told").textContent = `${file.name} has ${Math.round(file.size / 1e6)} MB; ${most} MB are allowed. Make it smaller and add it again.`; return; }
  $("told").textContent = `${file.name}: uploading…`;
  const body = new FormData();
  body.append("file", file);
  const answer = await fetch(`/media/${add}`, { method: "POST", headers: { "X-CSRFToken": csrf }, body }).catch(() => null);
  const said = await answer?.json().catch(() => null);
  if (!answer?.ok) { $("told").textContent = said?.wrong ?? "Tesoura isn't answering. Add it again."; return; }
  $("told").textContent = "";
  if (add === "scenery") {
    $("under").append(Object.assign(document.createElement("option"), { value: said.name, textContent: said.title }));
    $("under").lastChild.dataset.address = `/media/${said.name}`;
    $("under").value = said.name;
    $("under").dispatchEvent(new Event("change"));
  } else change({ [into]: said.name }, 0);
});

// What it is shown with, and over

function showUnder() {
  const option = $("under").selectedOptions[0];
  desk.cloth.dataset.under = option.dataset.address ? "scene" : option.value;
  desk.cloth.style.backgroundImage = option.dataset.address ? `url("${option.dataset.address}")` : "";
}
$("under").value = kept("under", mat.dataset.scenery && kept("under-set", "") ? mat.dataset.scenery : "mat");
if (!$("under").value) $("under").value = "mat";
showUnder();
$("under").addEventListener("change", ({ target }) => {
  sessionStorage.setItem(`mat:${base}:under`, target.value);
  showUnder();
  if (target.selectedOptions[0].dataset.address) edit({ do: "settings", set: { scenery: target.value } });
});
$("shown-with").value = desk.shownWith;
$("shown-with").addEventListener("change", ({ target }) => { desk.shownWith = target.value; sessionStorage.setItem(`mat:${base}:with`, target.value); refresh(); });
$("scene").addEventListener("change", ({ target }) => goToScene(target.value));

export function goToScene(scene) {
  $("scene").value = scene;
  desk.scene = scene;
  setScene(desk.stage, scene, true);
  refresh();
}

$("play").addEventListener("click", async () => {
  for (const piece of desk.stage.querySelectorAll(".piece")) {
    const style = getComputedStyle(piece);
    const [x, y] = { slide_left: [-80, 0], slide_right: [80, 0], slide_up: [0, -80], slide_down: [0, 80] }[style.getPropertyValue("--entry")] ?? [0, 0];
    const from = style.getPropertyValue("--entry") === "grow" ? "scale(.6)" : `translate(${x}px, ${y}px)`;
    piece.firstElementChild.animate([{ opacity: 0, transform: from }, { opacity: 1, transform: "none" }], { duration: parseFloat(style.getPropertyValue("--ms")), easing: style.getPropertyValue("--ease") || "ease" });
  }
});

// Guides

function showGuides() {
  $("guide-list").replaceChildren(...desk.guides.map(([axis, at], index) => {
    const line = document.createElement("li");
    line.append(`${axis === "x" ? "across" : "down"} at ${at} px `);
    const button = Object.assign(document.createElement("button"), { type: "button", className: "quiet-act", textContent: "Remove" });
    button.addEventListener("click", () => setGuides(desk.guides.filter((_, other) => other !== index)));
    line.append(button);
    return line;
  }));
}
export const setGuides = (guides) => { desk.guides = guides; drawMarks(desk); edit({ do: "guides", guides }); };
$("guide-form").addEventListener("submit", (event) => { event.preventDefault(); setGuides([...desk.guides, [$("g-axis").value, Number($("g-at").value)]]); });

// Zoom

$("zoom-in").addEventListener("click", () => zoom(1.25));
$("zoom-out").addEventListener("click", () => zoom(0.8));
$("zoom-fit").addEventListener("click", () => zoom(0));

// Menus close when something else is pressed.
document.addEventListener("click", ({ target }) => { for (const drop of document.querySelectorAll("details.drop[open]")) if (!drop.contains(target)) drop.open = false; });
document.addEventListener("keydown", (event) => { if (event.key === "Escape") for (const drop of document.querySelectorAll("details.drop[open]")) { drop.open = false; drop.querySelector("summary").focus(); } });

$("air-form").addEventListener("submit", async (event) => {
  if (!sending && !waiting.length) return;
  event.preventDefault();
  clearTimeout(timer);
  await sending;
  await send();
  if (!waiting.length) event.target.submit();
});

// Values as they are now, and what other windows do

let looked = 0;
async function look() {
  if (Date.now() - looked < 400 || desk.moving || sending || desk.shownWith !== "live") return;
  looked = Date.now();
  const answer = await fetch(`${base}/sights`).catch(() => null);
  if (!answer?.ok || desk.moving || sending) return;
  desk.sights = await answer.json();
  await load(desk.stage);
  for (const [id, says] of Object.entries(desk.sights)) {
    const values = Object.fromEntries(Object.entries(says.live).map(([part, text]) => [part ? `${id}.${part}` : id, text]));
    say(desk.stage, values, false);
  }
  if (desk.chosen.length === 1 && $("c-longest") && desk.sights[desk.chosen[0]]) {
    $("c-longest").textContent = desk.sights[desk.chosen[0]].longest[""];
    $("c-empty").textContent = desk.sights[desk.chosen[0]].empty[""] || "(nothing)";
  }
  drawMarks(desk);
}
document.body.addEventListener("tesoura:signals", look);
document.body.addEventListener(`tesoura:draft:${mat.dataset.overlay}`, () => { if (!sending && !waiting.length && !desk.moving) refresh(); });

// What was typed before this script was there is sent as well.
for (const field of choices.querySelectorAll("input[name]:not([type=checkbox]), textarea[name]")) if (field.value !== field.defaultValue) change({ [field.name]: field.value });

bindDragging(desk, { choose, edit, setGuides });
bindKeys(desk, { choose, edit, act, step, change, zoom, goToScene, request, refresh });
$("unfenced").hidden = "CSSScopeRule" in window;
new ResizeObserver(fit).observe(desk.window);
markChosen();
fit();
await refresh();
mat.dataset.ready = "yes";
