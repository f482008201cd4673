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

// A picture that is added can be chosen at once.
document.addEventListener("change", async (event) => {
  const input = event.target.closest("[data-add-picture]");
  if (!input?.files.length) return;
  const body = new FormData();
  body.append("file", input.files[0]);
  const answer = await fetch("/media/picture", { method: "POST", body, headers: { "X-CSRFToken": document.querySelector('meta[name="csrf"]').content } });
  const told = await answer.json().catch(() => ({ wrong: "The file could not be sent. Try again." }));
  const choice = document.getElementById(input.dataset.addPicture);
  choice.setCustomValidity(told.wrong ?? "");
  if (told.wrong) return void choice.reportValidity();
  choice.add(new Option(told.title, told.name, true, true));
  choice.dispatchEvent(new Event("change", { bubbles: true }));
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
