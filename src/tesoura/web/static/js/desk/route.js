// A run's route: typed in fast, pasted, renamed, moved by keys or by dragging, taken out and brought back.
const csrf = () => document.querySelector('meta[name="csrf"]').content;
const section = () => document.querySelector("[data-route]");
const said = (words, wrong) => { const line = document.getElementById("route-said"); line.textContent = words; line.className = `said-line ${wrong ? "wrong" : "does"}`; return line; };

async function give(command, given, focus) {
  const answer = await fetch(`/instruments/${section().dataset.route}/route/${command}`, {
    method: "POST", headers: { "X-CSRFToken": csrf(), "Content-Type": "application/json" }, body: JSON.stringify(given),
  }).catch(() => null);
  const told = (await answer?.json().catch(() => null)) ?? { wrong: "Tesoura isn't answering. Nothing was changed. Try again." };
  if (told.wrong) { said(told.wrong, true); return false; }
  // What was given is in it: it may be drawn anew, wherever the cursor was.
  document.activeElement?.blur();
  await htmx.ajax("GET", `/instruments/${section().dataset.route}/live/setup`, { target: "#route", select: "#route", swap: "morph:outerHTML" });
  const line = said(told.words);
  if (told.undo) {
    const button = Object.assign(document.createElement("button"), { type: "button", className: "btn btn-quiet", textContent: "Undo", id: "route-undo" });
    button.addEventListener("click", () => give(told.undo.command, told.undo.given, "route-new"));
    line.append(" ", button);
  }
  document.getElementById(focus)?.focus();
  return true;
}

const splitOf = (node) => node.closest("[data-split]");
const move = (split, by) => give("move_split", { split: split.dataset.split, by }, `grip-${split.dataset.split}`);

document.addEventListener("submit", async (event) => {
  if (!event.target.closest(".route-new")) return;
  event.preventDefault();
  const field = document.getElementById("route-new");
  if (!field.value.trim()) return void said("Enter a split name first.", true);
  const names = field.value;
  field.value = "";
  if (!await give("add_splits", { names }, "route-new")) document.getElementById("route-new").value = names;
});

document.addEventListener("paste", (event) => {
  if (event.target.id !== "route-new") return;
  const names = event.clipboardData.getData("text");
  if (!/\n/.test(names.trim())) return;
  event.preventDefault();
  give("add_splits", { names }, "route-new");
});

document.addEventListener("change", (event) => {
  const split = splitOf(event.target);
  if (split && ["name", "group"].includes(event.target.name)) give("change_split", { split: split.dataset.split, [event.target.name]: event.target.value }, document.activeElement?.id);
  if (event.target.matches("[data-choose-route]")) give("choose_route", { route: event.target.value }, "route-run");
});

document.addEventListener("keydown", (event) => {
  const split = splitOf(event.target);
  if (!split) return;
  const ways = { ArrowUp: -1, ArrowDown: 1 };
  if (ways[event.key] && (event.target.matches("[data-grip]") || event.altKey)) {
    event.preventDefault();
    move(split, ways[event.key]);
  } else if (event.key === "Enter" && event.target.matches("input")) {
    event.preventDefault();
    const next = split.nextElementSibling?.querySelector(`[name="${event.target.name}"]`) ?? document.getElementById("route-new");
    next.focus();
  }
});

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-take-out]");
  if (!button) return;
  const next = splitOf(button).nextElementSibling ?? splitOf(button).previousElementSibling;
  give("remove_splits", { splits: splitOf(button).dataset.split }, next ? `out-${next.dataset.split}` : "route-new");
});

let dragged = null;
const places = () => [...document.querySelectorAll(".route-split")];
document.addEventListener("dragstart", (event) => {
  if (!event.target.matches?.("[data-grip]")) return;
  dragged = splitOf(event.target);
  event.dataTransfer.effectAllowed = "move";
  event.dataTransfer.setData("text/plain", dragged.dataset.split);
});
document.addEventListener("dragover", (event) => {
  const over = dragged && event.target.closest?.(".route-split");
  if (!over) return;
  event.preventDefault();
  for (const one of places()) one.classList.toggle("is-target", one === over && one !== dragged);
});
document.addEventListener("drop", (event) => {
  const over = dragged && event.target.closest?.(".route-split");
  if (!over || over === dragged) return;
  event.preventDefault();
  move(dragged, places().indexOf(over) - places().indexOf(dragged));
});
document.addEventListener("dragend", () => {
  dragged = null;
  for (const one of places()) one.classList.remove("is-target");
});
