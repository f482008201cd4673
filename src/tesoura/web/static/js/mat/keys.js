// The mat by keyboard.
import { drawMarks } from "./marks.js";

const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
const COPIES = "mat:copies";

export function bindKeys(desk, { choose, edit, act, step, change, zoom, goToScene, request }) {
  const typing = (target) => target.closest("input:not([type=checkbox]), textarea, select, dialog[open]");

  desk.cloth.addEventListener("focusin", ({ target }) => {
    const piece = target.closest(".piece");
    if (!piece) return;
    const visible = piece.matches(":focus-visible");
    document.getElementById("marks-chosen").classList.toggle("focused", visible);
    if (visible && !desk.chosen.includes(piece.dataset.piece)) choose([piece.dataset.piece]);
  });
  desk.cloth.addEventListener("focusout", () => document.getElementById("marks-chosen").classList.remove("focused"));

  async function nudge(dx, dy) {
    await desk.measured;
    const free = desk.chosen.filter((id) => desk.boxes[id] && !desk.boxes[id].pinned);
    if (!free.length) return;
    const places = {};
    for (const id of free) {
      const [box, node] = [desk.boxes[id], desk.node(id)];
      box.held = [box.held[0] + dx, box.held[1] + dy];
      [box.x, box.y] = [box.x + dx, box.y + dy];
      [node.style.left, node.style.top] = box.held.map((one) => `${one}px`);
      places[id] = { x: box.held[0], y: box.held[1] };
      if (free.length === 1) for (const name of ["x", "y"]) { const input = document.getElementById(`c-${name}`); if (input) input.value = places[id][name]; }
    }
    drawMarks(desk);
    if (free.length === 1) change(places[free[0]], 140, free); else edit({ do: "place", places, scene: desk.scene }, 140);
  }

  async function resize(dx, dy) {
    await desk.measured;
    for (const id of desk.chosen) {
      const box = desk.boxes[id];
      if (!box || box.pinned) continue;
      if (box.sized === "text" && !box.size[0]) change({ size_px: Math.max(box.size[2] += dx + dy, 8) }, 140, [id]);
      else {
        box.size = [Math.max(box.size[0] + dx, 1), Math.max(box.size[1] + dy, box.sized === "text" ? 0 : 1), box.size[2]];
        change({ width_px: box.size[0], height_px: box.size[1] }, 140, [id]);
      }
    }
  }

  let copying = null;
  async function copied() {
    const answer = await request("/copies", { pieces: desk.chosen }).catch(() => null);
    if (answer?.ok) localStorage.setItem(COPIES, JSON.stringify((await answer.json()).copies));
  }

  const copy = () => { if (desk.chosen.length) copying = copied(); };

  async function lay() {
    await copying;
    edit({ do: "paste", copies: JSON.parse(localStorage.getItem(COPIES) || "[]") });
  }

  function scenes() {
    const names = [...document.getElementById("scene").options].map((one) => one.value);
    goToScene(names[(names.indexOf(desk.scene) + 1) % names.length]);
  }

  function toggled(name) {
    const piece = desk.boxes[desk.chosen[0]];
    if (!piece) return;
    const button = document.querySelector(`[data-set="${name}"][data-of="${CSS.escape(desk.chosen[0])}"]`);
    change({ [name]: button?.dataset.to ?? "yes" }, 0);
  }

  const withControl = {
    z: () => step("undo"), Z: () => step("redo"), y: () => step("redo"), a: () => choose(Object.keys(desk.boxes), { single: true }),
    c: copy, v: lay, d: () => act("duplicate"), g: () => act("group"), G: () => act("group", { off: true }),
  };
  const plain = {
    "[": () => act("order", { to: "backward" }), "]": () => act("order", { to: "forward" }), "{": () => act("order", { to: "back" }), "}": () => act("order", { to: "front" }),
    i: () => toggled("pinned"), h: () => toggled("hidden"), Delete: () => act("remove"), Backspace: () => act("remove"),
    "+": () => zoom(1.25), "=": () => zoom(1.25), "-": () => zoom(0.8), 0: () => zoom(0), n: scenes,
    P: () => document.getElementById("put-on-air").click(),
    m: () => (desk.node(desk.chosen[0]) ?? desk.stage.querySelector(".piece"))?.focus(), w: () => document.getElementById("c-wording")?.focus(),
  };

  document.addEventListener("keydown", (event) => {
    if (typing(event.target) || event.defaultPrevented) return;
    const arrow = ARROWS[event.key];
    if (arrow && event.target.closest(".piece, body:not(:has(:focus))")) {
      const by = event.shiftKey ? 10 : 1;
      event.preventDefault();
      return event.altKey ? resize(arrow[0] * by, -arrow[1] * by) : nudge(arrow[0] * by, arrow[1] * by);
    }
    if (event.key === " " || event.key === "Enter") {
      const piece = event.target.closest(".piece");
      if (piece) { event.preventDefault(); choose([piece.dataset.piece], { toggle: event.shiftKey }); }
      return undefined;
    }
    const run = event.ctrlKey || event.metaKey ? withControl[event.key] : event.altKey ? null : plain[event.key];
    if (!run || (event.ctrlKey && event.key === "c" && String(getSelection()))) return undefined;
    event.preventDefault();
    return run();
  });
}
