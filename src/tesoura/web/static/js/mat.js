// The mat: choosing, dragging, measuring, and sending each change to the draft. Texts come from Tesoura.
const mat = document.getElementById("mat");
const cloth = mat.querySelector(".cloth");
const stage = mat.querySelector(".stage");
const marks = document.getElementById("marks-chosen");
const choices = document.getElementById("choices");
const saved = document.getElementById("saved");
const overlay = { id: mat.dataset.overlay, width: Number(mat.dataset.width), height: Number(mat.dataset.height) };
const base = `/overlays/${overlay.id}`;
const SVG = "http://www.w3.org/2000/svg";
let scale = 1;
let sights = {};
const chosenId = mat.dataset.chosen;
const chosen = () => chosenId && stage.querySelector(`[data-piece="${CSS.escape(chosenId)}"]`);
const field = (name) => document.getElementById(`c-${name}`);

// Scale and rulers

function draw(parent, name, attributes, text) {
  const node = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
  if (text !== undefined) node.textContent = text;
  parent.append(node);
  return node;
}

function drawRuler(ruler, length, across) {
  ruler.replaceChildren();
  const step = scale > 0.3 ? 20 : 50;
  for (let at = 0; at <= length; at += step) {
    const long = at % 200 === 0;
    const depth = long ? 12 : at % 100 === 0 ? 8 : 4;
    const spot = Math.round(at * scale) + 0.5;
    draw(ruler, "line", across ? { x1: spot, x2: spot, y1: 22 - depth, y2: 22 } : { y1: spot, y2: spot, x1: 22 - depth, x2: 22 });
    if (long && at < length) {
      if (across) draw(ruler, "text", { x: spot + 3, y: 10 }, at);
      else draw(ruler, "text", { transform: `translate(9 ${spot + 3}) rotate(90)` }, at);
    }
  }
}

function fit() {
  scale = cloth.clientWidth / overlay.width;
  cloth.style.height = `${overlay.height * scale}px`;
  stage.style.transform = `scale(${scale})`;
  drawRuler(mat.querySelector(".ruler-top"), overlay.width, true);
  drawRuler(mat.querySelector(".ruler-left"), overlay.height, false);
  mark();
}

// The marks around what is chosen

function box(piece) {
  const outer = stage.getBoundingClientRect();
  const inner = piece.getBoundingClientRect();
  return { x: (inner.left - outer.left) / scale, y: (inner.top - outer.top) / scale, width: inner.width / scale, height: inner.height / scale };
}

function widestDigit(piece) {
  const probe = piece.cloneNode();
  probe.removeAttribute("data-piece");
  probe.style.visibility = "hidden";
  probe.hidden = false;
  stage.append(probe);
  let widest = "0";
  let most = 0;
  for (const digit of "0123456789") {
    probe.textContent = digit.repeat(10);
    if (probe.offsetWidth > most) [most, widest] = [probe.offsetWidth, digit];
  }
  return [probe, widest];
}

function grownWidth(piece, text) {
  const [probe, widest] = widestDigit(piece);
  probe.textContent = text.replace(/[0-9]/g, widest);
  const width = probe.getBoundingClientRect().width / scale;
  probe.remove();
  return width;
}

function mark() {
  marks.replaceChildren();
  const piece = chosen();
  if (!piece) return;
  const at = box(piece);
  const reserve = Math.max(grownWidth(piece, sights[chosenId]?.grown ?? piece.textContent) - at.width, 0);
  const toward = field("grow_toward").value;
  const sides = Number(field("grow_digits").value) > 0 && reserve > 0.5
    ? { right: [[at.x + at.width, reserve]], left: [[at.x - reserve, reserve]], both: [[at.x - reserve / 2, reserve / 2], [at.x + at.width, reserve / 2]] }[toward]
    : [];
  let beyond = Math.max(-at.x, at.x + at.width - overlay.width, -at.y, at.y + at.height - overlay.height, 0);
  for (const [x, width] of sides) {
    const over = Math.max(-x, x + width - overlay.width, 0);
    beyond = Math.max(beyond, over);
    draw(marks, "rect", { class: "reserve-under", x, y: at.y, width, height: at.height });
    draw(marks, "rect", { class: `reserve${over > 0 ? " bad" : ""}`, x, y: at.y, width, height: at.height });
  }
  brackets(at);
  measures(at, sides, beyond);
}

function brackets(at) {
  const gap = 5 / scale;
  const arm = Math.min(16 / scale, at.width / 2 + gap);
  const [l, t, r, b] = [at.x - gap, at.y - gap, at.x + at.width + gap, at.y + at.height + gap];
  const path = `M${l} ${t + arm}V${t}H${l + arm}M${r - arm} ${t}H${r}V${t + arm}M${r} ${b - arm}V${b}H${r - arm}M${l + arm} ${b}H${l}V${b - arm}`;
  draw(marks, "path", { class: "bracket-under", d: path });
  draw(marks, "path", { class: "bracket", d: path });
}

function measures(at, sides, beyond) {
  const size = 12 / scale;
  let words = `${Math.round(at.width)} × ${Math.round(at.height)} px at ${field("x").value}, ${field("y").value}`;
  if (sides.length) words += `, room for ${Math.round(sides.reduce((sum, side) => sum + side[1], 0))} px more`;
  if (beyond > 0.5) words += `; ${Math.round(beyond)} px do not fit`;
  const width = words.length * size * 0.605 + size;
  const above = at.y > size * 2.6;
  const x = Math.min(Math.max(at.x - 5 / scale, 2), Math.max(overlay.width - width, 2));
  const y = Math.min(above ? at.y - size * 2 : at.y + at.height + size * 0.9, overlay.height - size * 1.6);
  draw(marks, "rect", { class: "measure-under", x, y, width, height: size * 1.5, rx: 2 / scale });
  draw(marks, "text", { class: `measure${beyond > 0.5 ? " bad" : ""}`, x: x + size / 2, y: y + size * 1.1, "font-size": size }, words);
}

// Sending changes. Those made while one is under way go together in the next; a lost link loses none.

let waiting = {};
let sending = null;
let timer = 0;

function change(values, soon = 140) {
  Object.assign(waiting, values);
  clearTimeout(timer);
  timer = setTimeout(send, soon);
}

async function send() {
  if (sending || !Object.keys(waiting).length) return sending;
  const values = waiting;
  waiting = {};
  sending = post(values);
  const done = await sending;
  sending = null;
  if (!done) {
    waiting = { ...values, ...waiting };
    saved.textContent = "Not kept yet: Tesoura does not answer. It is tried again.";
    timer = setTimeout(send, 1000);
  } else if (Object.keys(waiting).length) {
    await send();
  }
}

function request(values, keepalive) {
  return fetch(`${base}/pieces/${chosenId}`, {
    method: "POST",
    keepalive,
    headers: { "Content-Type": "application/json", "X-CSRFToken": document.querySelector('meta[name="csrf"]').content },
    body: JSON.stringify(values),
  });
}

// A change that still waits when the page is left goes along.
addEventListener("pagehide", () => {
  if (Object.keys(waiting).length) request(waiting, true);
});

async function post(values) {
  try {
    const answer = await request(values, false);
    if (answer.status === 404 || answer.status === 400) { location.reload(); return true; }
    if (![200, 422].includes(answer.status)) return false;
    show(await answer.json(), values);
    return true;
  } catch {
    return false;
  }
}

function show(answer, sent) {
  for (const name of Object.keys(sent)) wrong(name, answer.wrong[name]);
  sights[chosenId] = answer;
  const old = chosen();
  const focused = document.activeElement === old;
  old.outerHTML = answer.html;
  if (dragging || "x" in waiting || "y" in waiting) place(Number(field("x").value), Number(field("y").value));
  ready(chosen());
  if (focused) chosen().focus({ preventScroll: true });
  if ("weight" in sent || "typeface" in sent) weights(answer.weight);
  notes(answer.notes);
  tellOthers(answer);
  document.getElementById("differs").innerHTML = answer.differs;
  document.getElementById("put-on-air").disabled = !answer.differences.length;
  const bad = Object.keys(answer.wrong).length;
  saved.textContent = bad ? "What is wrong was not kept; the rest was." : `Kept in the draft at ${new Date().toLocaleTimeString("en-GB")}.`;
  document.fonts.ready.then(mark);
}

function wrong(name, message) {
  const input = field(name);
  if (!input) return;
  const id = `${input.id}-wrong`;
  document.getElementById(id)?.remove();
  input.toggleAttribute("aria-invalid", Boolean(message));
  if (!message) return input.removeAttribute("aria-errormessage");
  const words = Object.assign(document.createElement("p"), { id, className: "wrong", textContent: message });
  input.closest(".field").append(words);
  input.setAttribute("aria-invalid", "true");
  input.setAttribute("aria-errormessage", id);
}

function tellOthers(sight) {
  document.getElementById("c-longest").textContent = sight.longest;
  document.getElementById("c-empty").textContent = sight.empty || "(nothing)";
}

function notes(list) {
  document.getElementById("c-notes").replaceChildren(...list.map((note) => Object.assign(document.createElement("p"), { className: "warn", textContent: note })));
}

// Moving

let dragging = null;

function place(x, y) {
  const piece = chosen();
  piece.style.left = `${x}px`;
  piece.style.top = `${y}px`;
  field("x").value = x;
  field("y").value = y;
  mark();
}

function move(across, down) {
  const [x, y] = [Number(field("x").value) + across, Number(field("y").value) + down];
  place(x, y);
  change({ x, y });
}

const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

function ready(piece) {
  piece.classList.add("chosen");
  piece.tabIndex = 0;
  piece.setAttribute("role", "button");
  piece.setAttribute("aria-label", `${field("name").value}: move with the arrow keys`);
  piece.addEventListener("focus", () => marks.classList.toggle("focused", piece.matches(":focus-visible")));
  piece.addEventListener("blur", () => marks.classList.remove("focused"));
}

cloth.addEventListener("keydown", (event) => {
  const step = ARROWS[event.key];
  if (!step || !event.target.closest(".chosen")) return;
  event.preventDefault();
  const by = event.shiftKey ? 10 : 1;
  move(step[0] * by, step[1] * by);
});

cloth.addEventListener("pointerdown", (event) => {
  const piece = event.target.closest(".piece");
  if (!piece) return;
  if (piece.dataset.piece !== chosenId) {
    location.search = `?piece=${piece.dataset.piece}`;
    return;
  }
  event.preventDefault();
  piece.focus({ preventScroll: true });
  dragging = { startX: event.clientX, startY: event.clientY, x: Number(field("x").value), y: Number(field("y").value) };
  cloth.setPointerCapture(event.pointerId);
});
cloth.addEventListener("pointermove", (event) => {
  if (!dragging) return;
  place(Math.round(dragging.x + (event.clientX - dragging.startX) / scale), Math.round(dragging.y + (event.clientY - dragging.startY) / scale));
});
for (const end of ["pointerup", "pointercancel"]) {
  cloth.addEventListener(end, () => {
    if (!dragging) return;
    dragging = null;
    change({ x: Number(field("x").value), y: Number(field("y").value) }, 0);
  });
}

// Choices

function weights(chosenWeight) {
  const has = field("typeface").selectedOptions[0].dataset.weights.split(" ");
  for (const option of field("weight").options) option.hidden = option.disabled = !has.includes(option.value);
  if (chosenWeight) field("weight").value = String(chosenWeight);
}

// When a piece is held by another side than before, its numbers change and the text stays where it is.
function heldBy(toward) {
  const at = box(chosen());
  return Math.round({ right: at.x, left: at.x + at.width, both: at.x + at.width / 2 }[toward]);
}

choices?.addEventListener("input", (event) => {
  const { name, value, dataset } = event.target;
  if (dataset.for) {
    const text = document.getElementById(dataset.for);
    text.value = value.toUpperCase();
    change({ [text.name]: text.value });
  } else if (name === "grow_toward") {
    const x = heldBy(value);
    field("x").value = x;
    change({ grow_toward: value, x }, 0);
  } else if (name) {
    if (name === "colour" || name === "backing_colour") {
      const swatch = choices.querySelector(`[data-for="${event.target.id}"]`);
      if (/^#[0-9a-f]{6}$/i.test(value)) swatch.value = value;
    }
    change({ [name]: value });
  }
});
choices?.addEventListener("submit", (event) => event.preventDefault());
choices?.addEventListener("click", (event) => {
  const button = event.target.closest("[data-insert]");
  if (!button) return;
  const wording = field("wording");
  const before = wording.value.slice(0, wording.selectionStart);
  let words = button.dataset.insert;
  // Inside braces a name or a function goes without braces of its own.
  if (before.lastIndexOf("{") > before.lastIndexOf("}") && words.startsWith("{")) words = words.slice(1, -1);
  wording.setRangeText(words, wording.selectionStart, wording.selectionEnd, "end");
  wording.focus();
  change({ wording: wording.value });
});

document.getElementById("air-form").addEventListener("submit", async (event) => {
  if (!sending && !Object.keys(waiting).length) return;
  event.preventDefault();
  clearTimeout(timer);
  await sending;
  await send();
  if (!Object.keys(waiting).length) event.target.submit();
});

for (const radio of document.querySelectorAll('[name="under"]')) {
  radio.addEventListener("change", () => { cloth.dataset.under = radio.value; sessionStorage.setItem("under", radio.value); });
  if (sessionStorage.getItem("under") === radio.value) { radio.checked = true; cloth.dataset.under = radio.value; }
}

document.addEventListener("keydown", (event) => {
  if (event.target.closest("input, textarea, select, dialog[open]") || event.ctrlKey || event.metaKey || event.altKey) return;
  const goal = { m: chosen(), w: field("wording") }[event.key];
  if (goal) { event.preventDefault(); goal.focus(); }
});

// Texts as they are now

let asked = 0;
async function look() {
  if (Date.now() - asked < 400) return;
  asked = Date.now();
  const answer = await fetch(`${base}/sights`).catch(() => null);
  if (!answer?.ok || dragging || sending) return;
  sights = { ...sights, ...(await answer.json()) };
  for (const piece of stage.querySelectorAll("[data-piece]")) {
    const sight = sights[piece.dataset.piece];
    if (!sight) continue;
    piece.textContent = sight.text;
    piece.hidden = sight.text === "";
  }
  if (chosen() && sights[chosenId]) { notes(sights[chosenId].notes); tellOthers(sights[chosenId]); }
  mark();
}
document.body.addEventListener("tesoura:signals", look);

if (chosen()) { ready(chosen()); weights(); }
new ResizeObserver(fit).observe(cloth);
document.fonts.ready.then(mark);
look();
