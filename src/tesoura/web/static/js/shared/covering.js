// What is private is covered on all pages with one key. While it is, the server marks it; what comes by script is marked here.
const meta = (name) => document.querySelector(`meta[name="${name}"]`)?.content;
const [pattern, any] = [new RegExp(meta("private"), "g"), new RegExp(meta("private"))];
const root = document.documentElement;
// What stands in `samp`, and fields that say so, may be seen by everybody, however much it looks like a key.
const LEFT_ALONE = "script, style, textarea, option, title, .private, svg, samp";

function mark(node) {
  if (node.nodeType === Node.TEXT_NODE) return split(node);
  if (node.nodeType !== Node.ELEMENT_NODE) return;
  const texts = [];
  const walker = document.createTreeWalker(node, NodeFilter.SHOW_TEXT);
  while (walker.nextNode()) texts.push(walker.currentNode);
  for (const text of texts) split(text);
  for (const field of node.querySelectorAll("input, textarea")) hide(field);
  if (node.matches("input, textarea")) hide(node);
}
function hide(field) {
  if (field.dataset.public === undefined && any.test(`${field.value} ${field.placeholder}`)) field.classList.add("private-field");
}
function split(text) {
  if (!text.parentElement || !any.test(text.data) || text.parentElement.closest(LEFT_ALONE)) return;
  const parts = document.createDocumentFragment();
  let from = 0;
  for (const { 0: found, index } of text.data.matchAll(pattern)) {
    parts.append(text.data.slice(from, index), Object.assign(document.createElement("span"), { className: "private", textContent: found }));
    from = index + found.length;
  }
  parts.append(text.data.slice(from));
  text.replaceWith(parts);
}

const watching = new MutationObserver((changes) => {
  for (const { type, target, addedNodes } of changes) {
    if (type === "characterData") mark(target);
    else for (const node of addedNodes) if (node.isConnected) mark(node);
  }
});
const covered = () => root.classList.contains("is-covered");
function bring(wished) {
  root.classList.toggle("is-covered", wished);
  for (const words of document.querySelectorAll("[data-cover-words]")) words.textContent = wished ? "Covered · Show" : "Shown · Cover";
  watching.disconnect();
  if (!wished) return;
  mark(document.body);
  watching.observe(document.body, { childList: true, characterData: true, subtree: true });
}
if (covered()) watching.observe(document.body, { childList: true, characterData: true, subtree: true });
// That it changed is told; how it is now is asked for, so that of several changes the last holds.
document.body.addEventListener("tesoura:covering", async () => {
  const told = await (await fetch("/desk/cover")).json();
  if (told.covered !== covered()) bring(told.covered);
});

function toggle() {
  const wished = !covered();
  // Covering is done at once; the other pages hear of it from the server.
  bring(wished);
  fetch("/desk/cover", { method: "POST", headers: { "X-CSRFToken": meta("csrf") }, body: new URLSearchParams({ covered: wished ? "yes" : "no" }) });
}
document.querySelector("[data-cover]")?.addEventListener("click", toggle);
document.addEventListener("keydown", (event) => {
  if (event.key !== "." || event.repeat || event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input, textarea, select, dialog[open]")) return;
  event.preventDefault();
  toggle();
});
