// A pad that is only a page: it speaks the device socket as any device does, and keeps its token as one would.
import { bring, drawn, follow, tell } from "../shared/buttons.js";
import { Panel } from "../shared/panel.js";

const KEPT = "tesoura pad token";
const ROWS = 3, COLUMNS = 5, DIALS = 3;
const [list, leaves, bobbins, state, form, code] = ["buttons", "leaves", "bobbins", "pad-state", "pad-pair", "pad-code"].map((id) => document.getElementById(id));
const item = (id) => list.querySelector(`[data-button="${id}"]`);
const faces = new Map();
let typed = "";

function act(words, run, pressed) {
  const one = Object.assign(document.createElement("button"), { type: "button", className: "btn btn-quiet", textContent: words });
  if (pressed !== undefined) one.setAttribute("aria-pressed", String(pressed));
  one.addEventListener("click", run);
  return one;
}

// The first few buttons that stand for a value can be turned as dials.
function dials() {
  const turned = [...faces.values()].filter((face) => face.turns).slice(0, DIALS);
  const there = new Map([...bobbins.children].map((one) => [one.dataset.dial, one]));
  bobbins.replaceChildren(...turned.map((face) => {
    const one = there.get(face.id) ?? dial(face.id);
    one.innerHTML = "<b></b><span></span>";
    one.firstChild.textContent = face.value || "–";
    one.lastChild.textContent = face.words;
    one.setAttribute("aria-label", face.words);
    one.setAttribute("aria-valuetext", face.value || "nothing yet");
    one.setAttribute("aria-valuenow", Number(face.value) || 0);
    return one;
  }));
}
function dial(id) {
  const one = document.createElement("div");
  Object.assign(one, { className: "bobbin", tabIndex: 0 });
  Object.assign(one.dataset, { dial: id });
  one.setAttribute("role", "spinbutton");
  const turn = (by) => panel.turn(id, { by });
  one.addEventListener("wheel", (event) => { event.preventDefault(); turn(event.deltaY < 0 ? 1 : -1); }, { passive: false });
  one.addEventListener("keydown", (event) => {
    const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 10, PageDown: -10 }[event.key];
    if (by) { event.preventDefault(); turn(by); }
  });
  return one;
}

const panel = new Panel(
  () => {
    const given = typed ? { code: typed } : { token: localStorage.getItem(KEPT) ?? "none" };
    return { name: "On-screen pad", buttons: { rows: ROWS, columns: COLUMNS }, dials: DIALS, ...given };
  },
  {
    shown(told) {
      faces.clear();
      for (const face of told.buttons) faces.set(face.id, face);
      list.replaceChildren(...told.buttons.map(drawn));
      const more = [];
      if (told.from) more.push(act("Previous", () => panel.show(told.leaf, Math.max(told.from - ROWS * COLUMNS, 0))));
      if (told.from + told.buttons.length < told.of) more.push(act("Next", () => panel.show(told.leaf, told.from + ROWS * COLUMNS)));
      leaves.replaceChildren(...told.leaves.map(({ id, name }) => act(name, () => panel.show(id), id === told.leaf)), ...more);
      dials();
    },
    changed(face) {
      faces.set(face.id, face);
      if (item(face.id)) bring(item(face.id), face);
      dials();
    },
    pressed(press, words, how) { if (item(press.button)) tell(item(press.button), words, how); },
    state(how, why, told) {
      if (told?.token) { localStorage.setItem(KEPT, told.token); typed = ""; }
      form.hidden = how !== "refused";
      state.textContent = how === "open" ? `● connected as ${told.device}` : how === "refused" ? (localStorage.getItem(KEPT) || typed ? why : "Not paired yet. Show a code under Phones and pads.") : "✕ disconnected, reconnecting";
      document.body.classList.toggle("is-away", how !== "open");
      if (how === "refused") { list.replaceChildren(); leaves.replaceChildren(); bobbins.replaceChildren(); }
    },
  },
);
follow(list, panel);
form.addEventListener("submit", (event) => {
  event.preventDefault();
  typed = code.value;
  code.value = "";
  panel.refused = undefined;
  panel.socket.close();
  panel.connect();
});
