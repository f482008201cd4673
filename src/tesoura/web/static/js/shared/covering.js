// What only the owner should read is covered on all pages with one key. While it is, the server marks it before the first paint;
// what scripts bring, and pages that are open already, are marked here by the same pattern and lists.
const told = document.querySelector('meta[name="private"]');
const pattern = new RegExp(told.content, "gi");
const unseen = new RegExp(`[${told.dataset.unseen}]`);
const [INLINE, ATTRIBUTES] = [new Set(told.dataset.inline.split(" ")), told.dataset.attributes.split(" ")];
const [COVER, root] = ["••••••••", document.documentElement];
// What stands in `samp`, and fields that say so, may be seen by everybody, however much it looks like a key.
const LEFT_ALONE = "script, style, samp, textarea, option, title, desc";
const PLAIN = "option, title, desc";
const FIELDS = "input, textarea";
const ATTRIBUTED = ATTRIBUTES.map((name) => `[${name}]`).join();

function spansOf(text) {
  if (!unseen.test(text)) return [...text.matchAll(pattern)].map((found) => [found.index, found.index + found[0].length]);
  const seen = [...Array(text.length).keys()].filter((at) => !unseen.test(text[at]));
  return [...seen.map((at) => text[at]).join("").matchAll(pattern)]
    .map((found) => [seen[found.index], seen[found.index + found[0].length - 1] + 1]);
}
const hidden = (text) => spansOf(text).reduceRight((all, [from, to]) => all.slice(0, from) + COVER + all.slice(to), text);

function blockOf(node) {
  let block = node.parentElement;
  while (block && INLINE.has(block.localName)) block = block.parentElement;
  return block;
}
// The texts of a block, a new run wherever another block or a line break comes between.
function* runsOf(block) {
  let run = [];
  const walker = document.createTreeWalker(block, NodeFilter.SHOW_TEXT | NodeFilter.SHOW_ELEMENT);
  for (let within = block; walker.nextNode();) {
    const node = walker.currentNode;
    const here = node.nodeType === Node.TEXT_NODE ? blockOf(node) : INLINE.has(node.localName) ? within : node;
    if (here !== within) { yield run; run = []; within = here; }
    if (node.nodeType === Node.TEXT_NODE && !node.parentElement.closest(LEFT_ALONE)) run.push(node);
  }
  yield run;
}
function markRun(run) {
  const whole = run.map((text) => text.data).join("");
  const spans = whole.trim() ? spansOf(whole) : [];
  let begin = 0;
  for (const text of spans.length ? run : []) {
    const [from, length] = [begin, text.length];
    begin += length;
    if (text.parentElement.closest(".private")) continue;
    const inner = spans.map(([a, b]) => [Math.max(a - from, 0), Math.min(b - from, length)]).filter(([a, b]) => a < b);
    for (const [a, b] of inner.reverse()) {
      const part = text.splitText(a);
      part.splitText(b - a);
      const wrapper = text.parentElement.closest("svg")
        ? document.createElementNS("http://www.w3.org/2000/svg", "tspan") : document.createElement("span");
      wrapper.setAttribute("class", "private");
      part.replaceWith(wrapper);
      wrapper.append(part);
    }
  }
}
// What cannot be marked is replaced, and kept beside until it may be seen again.
function replacePlain(element) {
  if (element.dataset.privateText !== undefined && element.textContent === hidden(element.dataset.privateText)) return;
  const text = element.textContent;
  if (hidden(text) === text) { delete element.dataset.privateText; return; }
  if (element.localName === "option" && !element.hasAttribute("value")) element.setAttribute("value", element.value);
  element.dataset.privateText = text;
  element.textContent = hidden(text);
}
function replaceAttributes(element) {
  for (const name of ATTRIBUTES) {
    const text = element.getAttribute(name);
    if (text === null || hidden(text) === text) continue;
    element.setAttribute(`data-private-${name}`, text);
    element.setAttribute(name, hidden(text));
  }
}
function hideField(field) {
  if (field.dataset.public === undefined && spansOf(`${field.value}\n${field.placeholder}`).length) field.classList.add("private-field");
}
const inside = (node, selector) => [...(node.matches(selector) ? [node] : []), ...node.querySelectorAll(selector)];

function mark(node) {
  if (node.nodeType === Node.TEXT_NODE) node = node.parentElement?.closest(PLAIN) ?? blockOf(node);
  if (node?.nodeType !== Node.ELEMENT_NODE) return;
  const block = INLINE.has(node.localName) ? blockOf(node) ?? node : node;
  for (const run of runsOf(block)) markRun(run);
  for (const element of inside(node, PLAIN)) replacePlain(element);
  for (const element of inside(node, ATTRIBUTED)) replaceAttributes(element);
  for (const field of inside(node, FIELDS)) hideField(field);
}
function unmark() {
  for (const element of document.querySelectorAll("[data-private-text]")) {
    element.textContent = element.dataset.privateText;
    delete element.dataset.privateText;
  }
  for (const name of ATTRIBUTES) {
    for (const element of document.querySelectorAll(`[data-private-${name}]`)) {
      element.setAttribute(name, element.getAttribute(`data-private-${name}`));
      element.removeAttribute(`data-private-${name}`);
    }
  }
}

const WATCHED = { childList: true, characterData: true, subtree: true, attributeFilter: ATTRIBUTES };
const watching = new MutationObserver((changes) => {
  for (const { type, target, addedNodes } of changes) {
    if (type === "attributes") replaceAttributes(target);
    else if (type === "characterData") mark(target);
    else if (target.matches?.(PLAIN)) mark(target);
    else for (const node of addedNodes) if (node.isConnected) mark(node);
  }
});
const covered = () => root.classList.contains("is-covered");
function bring(wished) {
  root.classList.toggle("is-covered", wished);
  for (const words of document.querySelectorAll("[data-cover-words]")) words.textContent = wished ? "Hidden · Show" : "Shown · Hide";
  watching.disconnect();
  if (!wished) { unmark(); return; }
  mark(root);
  watching.observe(root, WATCHED);
}
if (covered()) watching.observe(root, WATCHED);
// That it changed is told; how it is now is asked for, so that of several changes the last holds.
document.body.addEventListener("tesoura:covering", async () => {
  const now = await (await fetch("/desk/cover")).json();
  if (now.covered !== covered()) bring(now.covered);
});

function toggle() {
  const wished = !covered();
  // Covering is done at once; the other pages hear of it from the server.
  bring(wished);
  const csrf = document.querySelector('meta[name="csrf"]').content;
  fetch("/desk/cover", { method: "POST", headers: { "X-CSRFToken": csrf }, body: new URLSearchParams({ covered: wished ? "yes" : "no" }) });
}
document.querySelector("[data-cover]")?.addEventListener("click", toggle);
document.addEventListener("keydown", (event) => {
  if (event.key !== "." || event.repeat || event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input, textarea, select, dialog[open]")) return;
  event.preventDefault();
  toggle();
});
