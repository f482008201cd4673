// The page that sets an instrument up: sounds can be heard and added, files chosen at once or replaced.
import { sent } from "../shared/files.js";
const address = (name) => (name.includes(".") ? `/media/${name}` : `/static/sounds/${name}.wav`);
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-hear]");
  const name = button && document.getElementById(button.dataset.hear).value;
  if (name && name !== "none") new Audio(address(name)).play().catch(() => { button.textContent = "Can't be played"; });
});

// What is proposed is set with one press; it counts once the form is sent.
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-set-field]");
  const field = button && document.querySelector(`#setup-form [name="${button.dataset.setField}"]`);
  if (!field) return;
  field.value = button.dataset.setTo;
  field.dispatchEvent(new Event("change", { bubbles: true }));
  field.focus();
});

const file = document.querySelector("[data-add-sound]");
file?.addEventListener("change", async () => {
  const told = await sent("/media/sound", file.files[0]);
  const said = document.getElementById("sound-said");
  said.textContent = told.wrong ?? `“${told.title}” was added.`;
  said.className = told.wrong ? "wrong" : "help";
  if (!told.wrong) for (const one of document.querySelectorAll("[data-sounds]")) one.add(new Option(told.title, told.name));
  file.value = "";
});

// Two known points on a picture: a click sets where the chosen one lies; the fields say the same and can be typed in.
const board = document.querySelector("[data-board]");
if (board) {
  const field = (name) => document.querySelector(`#setup-form [name="${name}"]`);
  const which = () => document.querySelector('input[name="point"]:checked').value;
  const draw = () => {
    for (const pin of board.querySelectorAll("[data-pin]")) {
      pin.style.left = `${field(`${pin.dataset.pin}_across_pct`).value}%`;
      pin.style.top = `${field(`${pin.dataset.pin}_down_pct`).value}%`;
    }
    const name = field("picture").value;
    const image = board.querySelector("img");
    board.classList.toggle("has-picture", Boolean(name));
    if (!name) image?.remove();
    else if (image?.dataset.name !== name) {
      image?.remove();
      board.prepend(Object.assign(document.createElement("img"), { src: `/media/${name}`, alt: "The arena" }));
      board.querySelector("img").dataset.name = name;
    }
  };
  const set = (name, value) => { field(name).value = value; field(name).dispatchEvent(new Event("input", { bubbles: true })); };
  board.addEventListener("click", (event) => {
    const box = board.getBoundingClientRect();
    set(`${which()}_across_pct`, Math.round(((event.clientX - box.left) / box.width) * 100));
    set(`${which()}_down_pct`, Math.round(((event.clientY - box.top) / box.height) * 100));
    draw();
  });
  document.querySelector("[data-here]")?.addEventListener("click", (event) => {
    const [x, y] = event.currentTarget.dataset.here.split(",");
    set(`${which()}_x`, x);
    set(`${which()}_y`, y);
  });
  document.getElementById("setup-form").addEventListener("input", draw);
  document.getElementById("setup-form").addEventListener("change", draw);
  draw();
}

// The order of who tells of music: a row is dragged to its place, or moved with its arrows.
let lifted = null;
document.addEventListener("dragstart", (event) => { lifted = event.target.closest?.("[data-source]") ?? null; });
document.addEventListener("dragover", (event) => {
  const over = lifted && event.target.closest?.("[data-source]");
  if (over) event.preventDefault();
});
document.addEventListener("drop", (event) => {
  const over = event.target.closest?.("[data-source]");
  if (!lifted || !over || over === lifted) return;
  event.preventDefault();
  const form = lifted.querySelector("form");
  form.elements.at.value = String([...over.parentElement.children].indexOf(over));
  form.requestSubmit();
});

// The point toward which a replay gets closer: a press on the picture sets it, arrow keys move it; the fields say the same.
const choice = (name) => document.querySelector(`#setup-form [name="${name}"]`);
const point = () => document.querySelector(".replay-point");
function drawPoint() {
  const board = point();
  if (!board || !choice("x_pct")) return;
  const [x, y, times] = [choice("x_pct").value / 100, choice("y_pct").value / 100, Math.max(choice("closer_pct").value / 100, 1) || 1];
  const size = 1 / times;
  const [left, top] = [x, y].map((one) => Math.min(Math.max(one - size / 2, 0), 1 - size));
  Object.assign(board.querySelector(".replay-cross").style, { left: `${x * 100}%`, top: `${y * 100}%` });
  Object.assign(board.querySelector(".replay-seen").style, { left: `${left * 100}%`, top: `${top * 100}%`, width: `${size * 100}%`, height: `${size * 100}%` });
}
function setPoint(x, y) {
  for (const [name, value] of [["x_pct", x], ["y_pct", y]]) choice(name).value = Math.min(Math.max(Math.round(value), 0), 100);
  drawPoint();
  choice("y_pct").dispatchEvent(new Event("change", { bubbles: true }));
}
document.addEventListener("click", (event) => {
  const board = event.target.closest(".replay-point");
  if (!board || event.detail === 0) return;
  const { left, top, width, height } = board.getBoundingClientRect();
  setPoint(((event.clientX - left) / width) * 100, ((event.clientY - top) / height) * 100);
});
document.addEventListener("keydown", (event) => {
  const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
  if (!step || !event.target.classList?.contains("replay-cross")) return;
  event.preventDefault();
  const by = event.shiftKey ? 10 : 1;
  setPoint(Number(choice("x_pct").value) + step[0] * by, Number(choice("y_pct").value) + step[1] * by);
  point().querySelector(".replay-cross").focus();
});
document.addEventListener("input", ({ target }) => { if (["x_pct", "y_pct", "closer_pct"].includes(target.name)) drawPoint(); });
document.addEventListener("htmx:afterSettle", drawPoint);
