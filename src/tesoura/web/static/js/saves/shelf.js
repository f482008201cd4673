// A shelf of saved games put in order: by dragging, onto a folder or before an entry, and by arrow keys.
const csrf = () => document.querySelector('meta[name="csrf"]').content;
const entries = () => [...document.querySelectorAll("[data-entry]")];
const near = (entry) => entries().filter((one) => one.dataset.parent === entry.dataset.parent);

async function move(entry, folder, at) {
  const answer = await fetch(`/saves/entries/${entry.dataset.entry}/move`, {
    method: "POST", headers: { "X-CSRFToken": csrf(), "Content-Type": "application/json" }, body: JSON.stringify({ folder: Number(folder), at }),
  }).catch(() => null);
  const told = (await answer?.json().catch(() => null)) ?? { wrong: "Tesoura isn't answering. Nothing was moved. Try again." };
  const line = Object.assign(document.createElement("p"), { className: told.wrong ? "wrong" : "does", textContent: told.wrong ?? told.words });
  document.getElementById("save-effect").replaceChildren(line);
  if (told.wrong) return;
  const shelf = document.getElementById("shelf");
  await htmx.ajax("GET", shelf.getAttribute("hx-get"), { target: "#shelf", swap: "morph:innerHTML" });
  document.getElementById(`grip-${entry.dataset.entry}`)?.focus();
}

document.addEventListener("keydown", (event) => {
  const ways = { ArrowUp: -1, ArrowDown: 1 };
  if (!ways[event.key] || !event.target.matches("[data-grip]")) return;
  event.preventDefault();
  const entry = event.target.closest("[data-entry]");
  const at = near(entry).indexOf(entry) + ways[event.key];
  if (at >= 0 && at < near(entry).length) move(entry, entry.dataset.parent, at);
});

let dragged = null;
document.addEventListener("dragstart", (event) => {
  if (!event.target.matches?.("[data-grip]")) return;
  dragged = event.target.closest("[data-entry]");
  event.dataTransfer.effectAllowed = "move";
  event.dataTransfer.setData("text/plain", dragged.dataset.entry);
});
document.addEventListener("dragover", (event) => {
  const over = dragged && event.target.closest?.("[data-entry]");
  if (!over) return;
  event.preventDefault();
  for (const one of entries()) one.classList.toggle("is-target", one === over && one !== dragged);
});
document.addEventListener("drop", (event) => {
  const over = dragged && event.target.closest?.("[data-entry]");
  if (!over || over === dragged) return;
  event.preventDefault();
  // Onto a folder it goes into it, from elsewhere; onto a save it takes its place.
  if (over.dataset.kind === "folder" && dragged.dataset.parent !== over.dataset.entry) move(dragged, over.dataset.entry, 10000);
  else move(dragged, over.dataset.parent, near(over).indexOf(over));
});
document.addEventListener("dragend", () => {
  dragged = null;
  for (const one of entries()) one.classList.remove("is-target");
});
