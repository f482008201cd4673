// The page that sets an instrument up: sounds can be heard and added.
const address = (name) => (name.includes(".") ? `/media/${name}` : `/static/sounds/${name}.wav`);
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-hear]");
  const name = button && document.getElementById(button.dataset.hear).value;
  if (name && name !== "none") new Audio(address(name)).play().catch(() => { button.textContent = "It cannot be played"; });
});

const file = document.querySelector("[data-add-sound]");
file?.addEventListener("change", async () => {
  const body = new FormData();
  body.append("file", file.files[0]);
  const answer = await fetch("/media/sound", { method: "POST", body, headers: { "X-CSRFToken": document.querySelector('meta[name="csrf"]').content } });
  const said = document.getElementById("sound-said");
  const told = await answer.json().catch(() => ({ wrong: "The file could not be sent. Try again." }));
  said.textContent = told.wrong ?? `“${told.title}” is there to choose.`;
  said.className = told.wrong ? "wrong" : "help";
  if (!told.wrong) for (const one of document.querySelectorAll("[data-sounds]")) one.add(new Option(told.title, told.name));
  file.value = "";
});
