// A scoreboard's colours, who serves, whose end is which, and the sides' marks.
const COLOUR = /^#[0-9A-F]{6}$/;
const VARIABLES = ["--home", "--home-ink", "--away", "--away-ink"];

const DRAWS = {
  colours(node, text) {
    const told = (text || "").split(" ");
    if (told.length === VARIABLES.length && told.every((one) => COLOUR.test(one))) VARIABLES.forEach((name, at) => node.style.setProperty(name, told[at]));
  },
  serves(node, text) { node.parentElement.dataset.server = text; },
  ends(node, text) { node.parentElement.classList.toggle("is-swapped", text !== ""); },
  mark(node, text) {
    node.hidden = !text;
    if (text && !node.src.endsWith(`/media/${text}`)) node.src = `/media/${text}`;
  },
};

export function draw(node, text) { DRAWS[node.dataset.draws](node, text); }
