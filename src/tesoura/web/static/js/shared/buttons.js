// Buttons as they are drawn on the desk, a phone and the pad: all alike, brought up to date where they stand.
const until = new Map();
const TOLD_MS = 5000;

export function drawn(face) {
  const item = document.createElement("li");
  item.dataset.button = face.id;
  item.innerHTML = '<button type="button" class="face"><b></b><span class="state"></span><i class="edge" hidden></i></button><p class="answer" role="status"></p>';
  if (face.level !== undefined) item.insertAdjacentHTML("beforeend", '<input type="range" class="level" min="0" max="1" step="0.001">');
  bring(item, face);
  return item;
}

// The state of a button, brought to what it is told to be; nothing else of the page moves.
export function bring(item, face) {
  const [button, state] = [item.querySelector(".face"), item.querySelector(".state")];
  button.id = `button-${face.id}`;
  if (face.score) score(item, button, face.score);
  if (face.on) button.dataset.on = "yes"; else delete button.dataset.on;
  put(button.querySelector("b"), face.words);
  item.className = `desk-button${face.score ? " of-match" : ""} in-${face.colour}${face.wide ? " is-wide" : ""}${face.on ? (face.state === "now" ? " is-now" : " is-on") : ""}${face.blocked ? " is-blocked" : ""}`;
  item.dataset.state = face.state;
  if (face.wait_s) until.set(face.id, { at: performance.now() + face.wait_s * 1000, of: face.of_s * 1000 });
  else until.delete(face.id);
  if (!item.dataset.sent && (face.answer || !item.dataset.told)) answer(item, face.answer ?? "", face.refused ? "wrong" : "does");
  const level = item.querySelector(".level");
  if (level) {
    level.setAttribute("aria-label", face.words);
    level.setAttribute("aria-valuetext", face.value ?? "nothing yet");
    if (document.activeElement !== level || !level.dataset.held) level.value = face.level;
  }
  if (face.value !== undefined && face.level !== undefined) put(state, face.value);
  else if (!face.wait_s) put(state, face.state);
  count(item, face.id);
}

// How a match stands, on a button of it.
function score(item, button, { figure, note, side, half }) {
  let room = button.querySelector(".score");
  if (!room) {
    button.querySelector("b").insertAdjacentHTML("afterend", '<span class="score"><span class="figure"></span> <span class="beside"></span></span>');
    room = button.querySelector(".score");
  }
  put(room.querySelector(".figure"), figure);
  put(room.querySelector(".beside"), note);
  item.toggleAttribute("data-half", Boolean(half));
  item.dataset.match = side ? "side" : "line";
  if (side) { item.style.setProperty("--side", side[0]); item.style.setProperty("--side-ink", side[1]); }
}

// What became of a press, on its button: "sent, waiting" until it is answered.
export function tell(item, words, how) {
  // Several quick presses may wait at once; the button says so until the last is answered.
  if (how !== "late") item.presses = Math.max((item.presses ?? 0) + (how === "waiting" ? 1 : -1), 0);
  if (item.presses) item.dataset.sent = how; else delete item.dataset.sent;
  if (item.presses && how !== "waiting" && how !== "late") return;
  answer(item, words, how === "wrong" || how === "late" ? "wrong" : how === "waiting" ? "sent" : "does");
  // An answer that came late is in sight for a while, too.
  clearTimeout(item.tellsUntil);
  delete item.dataset.told;
  if (item.dataset.sent) return;
  item.dataset.told = "yes";
  item.tellsUntil = setTimeout(() => { delete item.dataset.told; if (!item.dataset.sent) answer(item, "", "does"); }, TOLD_MS);
}

function answer(item, words, kind) {
  const line = item.querySelector(".answer");
  put(line, words);
  if (line.className !== `answer ${kind}`) line.className = `answer ${kind}`;
}

function put(node, text) { if (node.textContent !== text) node.textContent = text; }

function count(item, id) {
  const [wait, edge] = [until.get(id), item.querySelector(".edge")];
  const left = wait ? (wait.at - performance.now()) / 1000 : 0;
  if (left > 0) {
    put(item.querySelector(".state"), `not now: ${Math.ceil(left)} s left`);
    edge.style.transform = `scaleX(${Math.min(left * 1000 / Math.max(wait.of, 1), 1)})`;
  }
  if (edge.hidden === left > 0) edge.hidden = left <= 0;
}
setInterval(() => {
  for (const id of until.keys()) {
    const item = document.querySelector(`[data-button="${id}"]`);
    if (item) count(item, id); else until.delete(id);
  }
}, 250);

// What a person does with them: press, hold, slide.
const HOLD_MS = 600;
export function follow(list, panel) {
  let holding;
  const end = () => { clearTimeout(holding?.timer); };
  list.addEventListener("pointerdown", ({ target }) => {
    const item = target.closest(".face")?.closest("[data-button]");
    if (!item || !("holds" in list.dataset)) return;
    holding = { item, done: false };
    holding.timer = setTimeout(() => { holding.done = true; pressed(item, panel, true); }, HOLD_MS);
  });
  for (const name of ["pointerup", "pointercancel", "pointerleave"]) list.addEventListener(name, end);
  list.addEventListener("contextmenu", (event) => { if ("holds" in list.dataset) event.preventDefault(); });
  list.addEventListener("click", (event) => {
    const item = event.target.closest(".face")?.closest("[data-button]");
    if (!item || list.dataset.laying) return;
    event.preventDefault();
    if (holding?.item === item && holding.done) { holding = null; return; }
    pressed(item, panel);
  });
  list.addEventListener("input", ({ target }) => {
    if (!target.matches(".level")) return;
    target.dataset.held = "yes";
    panel.turn(target.closest("[data-button]").dataset.button, { level: Number(target.value) });
  });
  list.addEventListener("change", ({ target }) => { if (target.matches(".level")) delete target.dataset.held; });
}

function pressed(item, panel, held = false) {
  panel.press(item.dataset.button, item.querySelector(".face").dataset.on === "yes", held);
}
