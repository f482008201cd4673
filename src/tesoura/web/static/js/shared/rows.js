// A table edited in place: rows are typed, pasted, moved by keys or by dragging, removed, and saved together.
const csrf = () => document.querySelector('meta[name="csrf"]').content;
const form = document.querySelector("form[data-rows]");
const list = form.querySelector("ol");
const rows = () => [...list.children];
const rowOf = (node) => node.closest?.(".item-row");
const first = (row) => row.querySelector(".cell input, .cell select");
let added = 0;

function changed(words = "") {
  form.dataset.unsaved = "yes";
  document.getElementById("rows-said").textContent = words;
}

function addEmpty() {
  added += 1;
  const row = document.getElementById("empty-row").content.cloneNode(true);
  for (const node of row.querySelectorAll("*")) {
    for (const { name, value } of [...node.attributes]) if (value.includes("new__")) node.setAttribute(name, value.replace("new__", `new${added}`));
  }
  list.append(row);
  htmx.process(list.lastElementChild);
}
const isEmpty = (row) => !first(row).value;

list.addEventListener("input", ({ target }) => { if (rowOf(target) === list.lastElementChild && !isEmpty(list.lastElementChild)) addEmpty(); });

list.addEventListener("paste", async (event) => {
  const text = event.clipboardData.getData("text");
  if (!/[\t\n]/.test(text.trim()) || !event.target.matches("input")) return;
  event.preventDefault();
  const here = rowOf(event.target);
  const body = new URLSearchParams({ text, begin: added + 1 });
  const answer = await fetch(form.dataset.rows, { method: "POST", body, headers: { "X-CSRFToken": csrf() } }).catch(() => null);
  if (!answer?.ok) return changed("Not pasted. Check that Tesoura is running, then paste again.");
  const pasted = document.createRange().createContextualFragment(await answer.text());
  const count = pasted.children.length;
  added += count;
  if (isEmpty(here)) here.replaceWith(pasted); else here.after(pasted);
  if (!isEmpty(list.lastElementChild)) addEmpty();
  changed(`${count} ${count === 1 ? "row" : "rows"} pasted.`);
  first(list.lastElementChild).focus();
});

function move(row, by) {
  const to = rows()[rows().indexOf(row) + by];
  if (!to || isEmpty(to)) return;
  if (by < 0) to.before(row); else to.after(row);
  row.querySelector("[data-grip]").focus();
  changed(`Row ${rows().indexOf(row) + 1}`);
}
list.addEventListener("keydown", (event) => {
  const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
  const row = rowOf(event.target);
  if (by && (event.target.matches("[data-grip]") || event.altKey)) {
    event.preventDefault();
    move(row, by);
  } else if (event.key === "Enter" && event.target.matches("input:not([type=checkbox])")) {
    event.preventDefault();
    const next = row.nextElementSibling;
    if (next) next.querySelectorAll(".cell input, .cell select")[[...row.querySelectorAll(".cell input, .cell select")].indexOf(event.target)]?.focus();
  }
});

list.addEventListener("click", ({ target }) => {
  const row = rowOf(target);
  const more = target.closest("[data-more]");
  if (more) {
    const cells = row.querySelector(".more-cells");
    cells.hidden = !cells.hidden;
    more.setAttribute("aria-expanded", String(!cells.hidden));
  }
  if (!target.closest("[data-drop-row]") || (row === list.lastElementChild && isEmpty(row))) return;
  const next = row.nextElementSibling ?? row.previousElementSibling;
  row.remove();
  if (!list.lastElementChild || !isEmpty(list.lastElementChild)) addEmpty();
  changed("Row removed. Save to keep this.");
  (next?.isConnected ? next : list.lastElementChild).querySelector("[data-drop-row]").focus();
});

let dragged = null;
list.addEventListener("dragstart", (event) => {
  if (!event.target.matches?.("[data-grip]")) return;
  dragged = rowOf(event.target);
  event.dataTransfer.effectAllowed = "move";
  event.dataTransfer.setData("text/plain", "");
});
list.addEventListener("dragover", (event) => {
  const over = dragged && rowOf(event.target);
  if (!over) return;
  event.preventDefault();
  for (const one of rows()) one.classList.toggle("is-target", one === over && one !== dragged);
});
list.addEventListener("drop", (event) => {
  const over = dragged && rowOf(event.target);
  if (!over || over === dragged) return;
  event.preventDefault();
  if (rows().indexOf(dragged) < rows().indexOf(over) && !isEmpty(over)) over.after(dragged); else over.before(dragged);
  changed(`Row ${rows().indexOf(dragged) + 1}`);
});
list.addEventListener("dragend", () => {
  dragged = null;
  for (const one of rows()) one.classList.remove("is-target");
});
