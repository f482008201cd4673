// Choices of the panel that are more than one field: what is ticked and ordered, and a ready wording put into a slot.
let lifted = null;

export function furnish(choices, change) {
  const keep = (list) => {
    const on = [...list.children].filter((one) => one.querySelector("input").checked).map((one) => one.dataset.section);
    const field = document.getElementById(list.dataset.ordered);
    field.value = on.join(",");
    change({ [field.name]: field.value }, 0);
  };
  choices.addEventListener("click", (event) => {
    const way = event.target.closest("[data-section-up], [data-section-down]");
    if (!way) return;
    const item = way.closest("[data-section]");
    const up = "sectionUp" in way.dataset;
    const other = up ? item.previousElementSibling : item.nextElementSibling;
    if (!other) return;
    other[up ? "before" : "after"](item);
    way.focus();
    keep(item.parentElement);
  });
  choices.addEventListener("change", ({ target }) => {
    const list = target.closest("[data-ordered]");
    if (list) return keep(list);
    if (target.dataset.ready && target.value) {
      const slot = target.dataset.ready;
      const { label, value, icon } = JSON.parse(target.value);
      change({ [`label_${slot}`]: label, [`value_${slot}`]: value, [`icon_${slot}`]: icon }, 0);
    }
  });
  choices.addEventListener("dragstart", (event) => {
    lifted = event.target.closest?.("[data-section]") ?? null;
    lifted?.classList.add("dragged");
  });
  choices.addEventListener("dragover", (event) => {
    const over = event.target.closest?.("[data-section]");
    if (!lifted || !over || over === lifted || over.parentElement !== lifted.parentElement) return;
    event.preventDefault();
    const box = over.getBoundingClientRect();
    over[event.clientY < box.top + box.height / 2 ? "before" : "after"](lifted);
  });
  choices.addEventListener("drop", (event) => { if (lifted) event.preventDefault(); });
  choices.addEventListener("dragend", () => {
    if (!lifted) return;
    lifted.classList.remove("dragged");
    keep(lifted.parentElement);
    lifted = null;
  });
}
