// A paired phone: its leaves are the tabs at the bottom, its buttons are those of the desk.
import { bring, drawn, follow, tell } from "../shared/buttons.js";
import { Panel } from "../shared/panel.js";

const [list, tabs, state, said, nothing] = ["buttons", "leaves", "link-state", "phone-said", "nothing"].map((id) => document.getElementById(id));
const item = (id) => list.querySelector(`[data-button="${id}"]`);
const kept = "tesoura leaf";

const panel = new Panel(() => ({ name: "Phone", buttons: { rows: 30, columns: 2 } }), {
  shown(told) {
    localStorage.setItem(kept, told.leaf);
    const there = new Map([...list.children].map((one) => [one.dataset.button, one]));
    list.replaceChildren(...told.buttons.map((face) => {
      const known = there.get(face.id);
      if (!known) return drawn(face);
      bring(known, face);
      return known;
    }));
    list.classList.toggle("has-match", told.buttons.some((face) => face.score?.half));
    nothing.hidden = told.buttons.length > 0;
    tabs.replaceChildren(...told.leaves.map(({ id, name }) => {
      const tab = Object.assign(document.createElement("button"), { type: "button", textContent: name });
      tab.setAttribute("aria-pressed", String(id === told.leaf));
      tab.addEventListener("click", () => panel.show(id));
      return tab;
    }));
    tabs.hidden = told.leaves.length < 2;
  },
  changed(face) { if (item(face.id)) bring(item(face.id), face); },
  pressed(press, words, how) {
    const its = item(press.button);
    if (its) tell(its, words, how);
    if (how === "waiting") navigator.vibrate?.(12);
    said.textContent = how === "late" || how === "wrong" ? words : "";
    said.className = how === "late" || how === "wrong" ? "wrong" : "";
  },
  state(how, why, told) {
    document.body.classList.toggle("is-away", how !== "open");
    state.textContent = how === "open" ? `● connected${awake ? "" : " · screen may turn off"}` : how === "refused" ? why : "✕ disconnected, reconnecting";
    state.className = how === "open" ? "is-here" : "wrong";
    if (told) document.querySelector("h1").textContent = told.device;
    if (how === "refused") { list.replaceChildren(); tabs.replaceChildren(); nothing.hidden = true; }
  },
});
panel.leaf = localStorage.getItem(kept) ?? "";
follow(list, panel);

// The screen stays awake where the browser lets a page ask for it: over TLS, or on this machine.
let awake = "wakeLock" in navigator;
async function stay() {
  try { await navigator.wakeLock.request("screen"); awake = true; } catch { awake = false; }
}
if (awake) {
  stay();
  document.addEventListener("visibilitychange", () => { if (!document.hidden) stay(); });
}
