// Sponsors: a mark, a video or words in each slot. What comes next is fetched and decoded ahead, so that nothing is seen
// half loaded; what cannot be shown is told, and Tesoura shows another.
const FADE_MS = 400;
const DECODED = 12;

const read = (text) => { try { return JSON.parse(text || "[]"); } catch { return []; } };
const ready_ = new Map();

export function draw(node, text, moving) {
  if (node.dataset.draws === "ahead") return hold(node, read(text));
  if (node.dataset.draws === "mark") return mark(node, text);
  face(node.closest(".t-sponsors"), text, moving);
}

export function ready(node) {
  if (node.classList.contains("t-card-read")) return mark(node.querySelector(".t-card-mark"), node.dataset.mark);
  if (!node.classList.contains("t-sponsors")) return;
  hold(node, read(node.dataset.ahead));
  face(node, node.dataset.face, false);
}

function mark(node, name) {
  if (node.drawnMark === name) return;
  node.drawnMark = name;
  node.replaceChildren(...(name ? [Object.assign(new Image(), { src: `/media/${name}`, alt: "" })] : []));
}

// An element that shows an item, once it is there to be seen: a picture decoded, a video with its first frame.
function made(item) {
  const [id, picture, video, words] = item;
  const key = picture || video || words;
  if (ready_.has(key)) return ready_.get(key);
  const found = picture ? image(picture) : video ? film(video) : Promise.resolve(() => Object.assign(document.createElement("p"), { textContent: words }));
  ready_.set(key, found);
  found.catch(() => ready_.delete(key));
  while (ready_.size > DECODED) ready_.delete(ready_.keys().next().value);
  return found;
}

async function image(name) {
  const first = Object.assign(new Image(), { src: `/media/${name}`, alt: "", draggable: false });
  await first.decode();
  return () => first.isConnected ? Object.assign(first.cloneNode(), {}) : first;
}

function film(name) {
  return new Promise((done, wrong) => {
    const video = Object.assign(document.createElement("video"), { muted: true, loop: true, playsInline: true, preload: "auto", src: `/media/${name}` });
    video.onloadeddata = () => done(() => video.isConnected ? Object.assign(video.cloneNode(), { muted: true, loop: true }) : video);
    video.onerror = () => wrong(new Error("video"));
  });
}

function hold(node, items) { for (const item of items) if (item.length) made(item).catch(() => trouble(node, item)); }

const troubled = new Map();
function trouble(node, item) {
  // Said again after a while: the first time Tesoura may not have been there to hear it.
  if (Date.now() - (troubled.get(item[0]) ?? -1e9) < 10000) return;
  troubled.set(item[0], Date.now());
  node.dispatchEvent(new CustomEvent("tesoura:trouble", { bubbles: true, detail: { of: item[0], why: "its file can't be displayed" } }));
}

function face(piece, text, moving) {
  if (piece.drawnFace === text) return;
  piece.drawnFace = text;
  const items = read(text);
  const slots = [...piece.querySelectorAll(".t-sponsor")];
  slots[1].hidden = items.length < 2;
  for (const [at, slot] of slots.entries()) put(piece, slot, items[at] ?? [], moving);
}

async function put(piece, slot, item, moving) {
  const [id = ""] = item;
  if ((slot.dataset.item ?? "") === id) return;
  slot.dataset.item = id;
  const before = [...slot.children];
  // With nothing to be seen the whole piece goes, and takes what it shows with it.
  if (!id) return void setTimeout(() => { if (!slot.dataset.item) { slot.replaceChildren(); slot.removeAttribute("data-painted"); } }, moving ? 1500 : 0);
  let node;
  try { node = (await made(item))(); } catch { if (slot.dataset.item === id) trouble(piece, item); return; }
  if (slot.dataset.item !== id) return;
  slot.append(node);
  slot.dataset.painted = id;
  slot.dispatchEvent(new CustomEvent("tesoura:painted", { bubbles: true }));
  if (node.tagName === "VIDEO") { node.currentTime = 0; node.play().catch(() => {}); }
  const gone = () => before.forEach((one) => { one.pause?.(); one.remove(); });
  if (!moving || piece.dataset.turns !== "fade" || !before.length) return gone();
  const options = { duration: FADE_MS, easing: "ease", fill: "backwards" };
  node.animate([{ opacity: 0 }, { opacity: 1 }], options);
  before.forEach((one) => one.animate([{ opacity: 1 }, { opacity: 0 }], { ...options, fill: "forwards" }).finished.then(() => { one.pause?.(); one.remove(); }, () => {}));
}
