// The desk's leaf of buttons: pressed by mouse and key, brought up to date over the device socket.
import { bring, follow, tell } from "../shared/buttons.js";
import { keyName } from "../shared/keyname.js";
import { Panel } from "../shared/panel.js";

const room = document.getElementById("desk-leaves");
const meta = (name) => document.querySelector(`meta[name="${name}"]`).content;
const list = () => room.querySelector("ol[data-leaf]");
const item = (id) => room.querySelector(`[data-button="${id}"]`);
const said = document.getElementById("button-said");

const panel = new Panel(() => ({ name: "Desk", buttons: { rows: 6, columns: 10 }, ticket: meta("desk") }), {
  shown(told) {
    const here = list();
    if (!here || here.dataset.laying) return;
    const outline = told.buttons.map((face) => face.id).join(" ");
    const there = [...here.querySelectorAll("[data-button]")].map((one) => one.dataset.button).join(" ");
    if (here.dataset.leaf !== told.leaf) {
      if (told.leaves.some((one) => one.id === here.dataset.leaf)) wish();
      else document.body.dispatchEvent(new CustomEvent("tesoura:relaid"));
      return;
    }
    // Laid otherwise, here or in another window: the leaf is drawn again.
    if (outline !== there || room.dataset.names !== JSON.stringify(told.leaves)) {
      room.dataset.names = JSON.stringify(told.leaves);
      if (outline !== there) document.body.dispatchEvent(new CustomEvent("tesoura:relaid"));
    }
    for (const face of told.buttons) if (item(face.id)) bring(item(face.id), face);
  },
  changed(face) { if (item(face.id) && !list()?.dataset.laying) bring(item(face.id), face); },
  pressed(press, words, how) {
    const its = item(press.button);
    if (its) tell(its, words, how);
    else if (how !== "waiting") said.textContent = press.name ? `${press.name}: ${words}` : words;
  },
  state(how) {
    room.classList.toggle("is-away", how !== "open");
    // The page's ticket is good no more: a page that is loaded anew has another, or asks to sign in.
    if (how === "refused") setTimeout(() => location.reload(), 1000);
  },
});

// The leaf that stands on the page is the one that is told of.
function wish() {
  const here = list();
  if (here && panel.leaf !== here.dataset.leaf) panel.show(here.dataset.leaf);
}
let followed = null;
function look() {
  const here = list();
  if (here && followed !== here) { followed = here; follow(here, panel); }
  wish();
}
document.body.addEventListener("htmx:afterSettle", look);
look();

// Keys fire their buttons wherever on the desk one is, but never while something is typed, and once however long held.
document.addEventListener("keydown", (event) => {
  if (event.repeat || event.target.closest("input:not([type=range]), textarea, select, dialog[open], [contenteditable]")) return;
  if (list()?.dataset.laying) return;
  const keys = JSON.parse(list()?.dataset.keys ?? "{}");
  const button = keys[keyName(event)];
  if (!button) return;
  event.preventDefault();
  const its = item(button.id);
  const press = panel.press(button.id, its ? its.querySelector(".face").dataset.on === "yes" : undefined);
  press.name = button.words;
});

// A field for a key takes the key that is pressed in it.
document.addEventListener("keydown", (event) => {
  const field = event.target.closest("[data-key-field]");
  if (!field || event.key === "Tab" || event.key === "Enter" || event.key === "Escape") return;
  event.preventDefault();
  if (event.key === "Backspace" || event.key === "Delete") field.value = "";
  else if (keyName(event)) field.value = keyName(event);
  event.stopPropagation();
}, true);

// While buttons are laid, one is dragged before another; Before and After do the same from the keyboard.
let dragged = null;
room.addEventListener("dragstart", (event) => {
  dragged = event.target.closest("[data-button]");
  event.dataTransfer?.setData("text/plain", dragged?.dataset.button ?? "");
});
room.addEventListener("dragover", (event) => {
  const over = dragged && event.target.closest("[data-button]");
  for (const one of room.querySelectorAll(".is-over")) one.classList.remove("is-over");
  if (!over) return;
  event.preventDefault();
  over.classList.add("is-over");
});
room.addEventListener("drop", (event) => {
  const over = dragged && event.target.closest("[data-button]");
  if (!over || over === dragged) return;
  event.preventDefault();
  const place = [...list().querySelectorAll("[data-button]")].indexOf(over);
  const to = `/desk/leaves/${list().dataset.leaf}/buttons/${dragged.dataset.button}/move`;
  htmx.ajax("POST", to, { target: "#desk-leaves", swap: "morph:innerHTML", values: { place } });
  dragged = null;
});

// "Move it now": the next control of a panel that is moved is put into its field.
const LEARN_MS = 20000;
document.addEventListener("click", async ({ target }) => {
  const button = target.closest("[data-learn]");
  if (!button || button.dataset.learning) return;
  const words = button.textContent;
  button.dataset.learning = "yes";
  button.textContent = "Listening…";
  const asked = async (query) => (await fetch(`/desk/leaves/heard${query}`)).json();
  const { mark } = await asked("");
  let sign = null;
  for (const until = Date.now() + LEARN_MS; !sign && Date.now() < until && button.isConnected;) {
    ({ sign } = await asked(`?since=${mark}`));
    if (!sign) await new Promise((later) => { setTimeout(later, 250); });
  }
  const field = document.getElementById(button.dataset.learn);
  if (sign && field) { field.value = sign; field.focus(); }
  delete button.dataset.learning;
  button.textContent = sign ? words : "Nothing moved. Move the control now";
});

// An instrument's whole panel opens beside the buttons, one at a time; the same press closes it.
const OPEN = "tesoura open panel";
function open(button) {
  const shut = button.getAttribute("aria-expanded") === "true";
  for (const one of document.querySelectorAll("[data-open-panel]")) one.setAttribute("aria-expanded", String(one === button && !shut));
  sessionStorage.setItem(OPEN, shut ? "" : button.dataset.openPanel);
  if (shut) document.getElementById("desk-panel").replaceChildren();
  else htmx.ajax("GET", button.dataset.openPanel, { target: "#desk-panel", swap: "innerHTML" });
}
for (const button of document.querySelectorAll("[data-open-panel]")) {
  button.addEventListener("click", () => open(button));
  if (button.dataset.openPanel === sessionStorage.getItem(OPEN)) addEventListener("load", () => open(button));
}
