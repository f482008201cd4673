// Whether Tesoura answers. While it does not, that is said on every page, since when, and nothing that is pressed is lost
// without a word: it is not sent, and the page says so. What stands on the page is as it was then, and its clocks stand.
const PATIENCE_MS = 1500;
let since = 0;
let timer = 0;

const clockTime = (at) => new Date(at).toLocaleTimeString("en-GB");
const strip = () => document.getElementById("no-answer");
export const isLost = () => document.body.classList.contains("is-lost");

function say(words) {
  const line = strip() ?? Object.assign(document.createElement("p"), { id: "no-answer", className: "no-answer" });
  line.setAttribute("role", "alert");
  line.textContent = words;
  if (!line.isConnected) document.body.prepend(line);
}

const waits = () => document.body.dataset.waits ?? "Presses are not sent until it answers.";

export function lost() {
  if (timer || isLost()) return;
  since = Date.now();
  // A start anew takes a moment, and is none of anybody's business.
  timer = setTimeout(() => {
    timer = 0;
    document.body.classList.add("is-lost");
    say(`No answer from Tesoura since ${clockTime(since)}. This page is out of date. ${waits()}`);
  }, PATIENCE_MS);
}

export function answers() {
  clearTimeout(timer);
  timer = 0;
  document.body.classList.remove("is-lost");
  strip()?.remove();
}

function refuse(event) {
  event.preventDefault();
  event.stopImmediatePropagation();
  say(`Nothing was sent. Tesoura hasn't answered since ${clockTime(since)}. Check that it's running, then press again.`);
}
document.addEventListener("submit", (event) => { if (isLost()) refuse(event); }, { capture: true });
document.addEventListener("click", (event) => {
  const link = event.target.closest?.("a[href]");
  // A link to another page would lead to the browser's own page of errors, and what was typed here would be gone.
  if (isLost() && link && link.origin === location.origin && !link.hash) refuse(event);
}, { capture: true });
document.addEventListener("htmx:beforeRequest", (event) => { if (isLost()) event.preventDefault(); });
document.addEventListener("htmx:sendError", () => lost());
