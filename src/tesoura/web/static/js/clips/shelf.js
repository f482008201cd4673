// The shelf: clips chosen for a reel, in the order in which they are; and a look through one under the pointer.
// They stay chosen while one is starred, shown or looked at, until they were taken for a reel.
const KEPT = "clips-chosen";
const sent = sessionStorage.getItem("clips-sent");
sessionStorage.removeItem("clips-sent");
const chosen = JSON.parse(sent && !document.querySelector(".said-wrong") ? "[]" : sessionStorage.getItem(KEPT) || "[]");
const count = document.querySelector("#reel-count");
const none = document.querySelector("#reel-none");
const first = count.textContent;

function tell() {
  sessionStorage.setItem(KEPT, JSON.stringify(chosen));
  document.querySelector("#reel-order").value = chosen.join(",");
  none.hidden = !chosen.length;
  count.textContent = chosen.length ? `${chosen.length} ${chosen.length === 1 ? "clip" : "clips"} selected, in this order.` : first;
  for (const box of document.querySelectorAll("input[name=clip]")) {
    const place = chosen.indexOf(box.value);
    box.checked = place >= 0;
    box.closest(".clip-card").dataset.place = place >= 0 ? place + 1 : "";
  }
}

document.addEventListener("change", ({ target }) => {
  if (target.name !== "clip") return;
  const place = chosen.indexOf(target.value);
  if (target.checked && place < 0) chosen.push(target.value);
  if (!target.checked && place >= 0) chosen.splice(place, 1);
  tell();
});
// What was chosen stays chosen when the list is drawn anew, or sifted.
document.addEventListener("htmx:afterSettle", tell);

none.addEventListener("click", () => { chosen.length = 0; tell(); });
document.querySelector("#reel-form").addEventListener("submit", ({ submitter }) => { if (submitter?.id === "reel-make") sessionStorage.setItem("clips-sent", "yes"); });
tell();

document.addEventListener("pointermove", ({ target, clientX }) => {
  const still = target.closest?.("[data-strip]");
  if (!still) return;
  const { left, width } = still.getBoundingClientRect();
  const place = Math.min(Math.max(Math.floor(((clientX - left) / width) * 8), 0), 7);
  still.style.setProperty("--strip", `url("${still.dataset.strip}")`);
  still.style.setProperty("--place", place);
  still.classList.add("is-looked-through");
});
document.addEventListener("pointerout", ({ target }) => target.closest?.("[data-strip]")?.classList.remove("is-looked-through"));
