// What viewers really had of each sponsor's item: since when, and how much of it was to be seen. The page tells what it
// finds; Tesoura decides what of it counts. What is not told to be kept is told again, also after a lost link.
import { now } from "./clock.js";

const LOOK_MS = 250;
const TELL_MS = 10000;
const [AT_ONCE, MESSAGES] = [30, 20];
const MOST_KEPT = 2000;

export function watchPainted(stage, send) {
  const open = new Map();
  let done = [];
  let kept = [];
  let number = 0;
  let told = 0;

  function look() {
    const at = Math.round(now());
    const found = new Map();
    for (const node of stage.querySelectorAll("[data-painted]")) {
      const piece = node.closest(".piece");
      if (!piece || piece.hidden || !node.dataset.painted) continue;
      found.set(node, [node.dataset.painted, JSON.stringify(facts(node, piece))]);
    }
    for (const [node, [item, seen, since]] of open) {
      const one = found.get(node);
      if (one && one[0] === item && one[1] === seen) { found.delete(node); continue; }
      close(node, item, seen, since, at);
    }
    for (const [node, [item, seen]] of found) open.set(node, [item, seen, at]);
    if (at - told >= TELL_MS) tell(at);
  }

  function close(node, item, seen, since, at) {
    open.delete(node);
    if (at > since) done.push([item, since, at, ...JSON.parse(seen)]);
  }

  // What goes on is told so far, and goes on.
  function tell(at) {
    told = at;
    for (const [node, [item, seen, since]] of [...open]) {
      close(node, item, seen, since, at);
      open.set(node, [item, seen, at]);
    }
    while (done.length) kept.push({ painted: ++number, spans: done.splice(0, AT_ONCE) });
    if (kept.length > MOST_KEPT) kept = kept.slice(-MOST_KEPT);
    sendKept();
  }

  // After a long time without a link there is much to tell: a few messages at a time, the next once those are kept.
  let awaited = new Set();
  function sendKept() {
    awaited = new Set();
    for (const one of kept.slice(0, MESSAGES)) { awaited.add(one.painted); send(one); }
  }

  function heard(which) {
    kept = kept.filter((one) => one.painted !== which);
    if (awaited.delete(which) && !awaited.size && kept.length) sendKept();
  }

  function area(node, piece) {
    const [box, canvas] = [node.getBoundingClientRect(), stage.getBoundingClientRect()];
    const whole = box.width * box.height;
    const wide = Math.min(box.right, canvas.right, innerWidth) - Math.max(box.left, canvas.left, 0);
    const high = Math.min(box.bottom, canvas.bottom, innerHeight) - Math.max(box.top, canvas.top, 0);
    return whole ? Math.max(wide, 0) * Math.max(high, 0) / whole : 0;
  }

  const height = (piece) => Number(getComputedStyle(piece).zIndex) || 0;

  // How much of it other pieces lie over: those that stand later in the page or higher, and hide what is behind them.
  function over(node, piece) {
    const box = node.getBoundingClientRect();
    let most = 0;
    const own = height(piece);
    for (const next of stage.querySelectorAll(".piece:not([hidden])")) {
      const [level, later] = [height(next), piece.compareDocumentPosition(next) & Node.DOCUMENT_POSITION_FOLLOWING];
      if (next === piece || !(level > own || (level === own && later)) || !hides(next)) continue;
      const other = next.firstElementChild.getBoundingClientRect();
      const wide = Math.min(box.right, other.right) - Math.max(box.left, other.left);
      const high = Math.min(box.bottom, other.bottom) - Math.max(box.top, other.top);
      most = Math.max(most, Math.max(wide, 0) * Math.max(high, 0) / (box.width * box.height || 1));
    }
    return most;
  }

  function hides(piece) {
    const backing = piece.querySelector(".t-backing");
    const colour = backing ? getComputedStyle(backing).backgroundColor : "";
    const clear = colour.startsWith("rgba") ? Number(colour.split(",").at(-1).replace(")", "")) : colour ? 1 : 0;
    return clear > 0.5 || piece.querySelector("video, img, canvas") !== null;
  }

  function opacity(node) {
    let all = 1;
    for (let one = node; one && one !== stage.parentElement; one = one.parentElement) all *= Number(getComputedStyle(one).opacity);
    return all;
  }

  function facts(node, piece) {
    const rounded = (share) => Math.round(share * 20) / 20;
    const loaded = [...node.querySelectorAll("img, video")].every((one) => one.tagName === "IMG" ? one.complete && one.naturalWidth > 0 : one.readyState >= 2);
    return [!document.hidden, loaded, over(node, piece) <= 0.5, rounded(area(node, piece)), rounded(opacity(node))];
  }

  setInterval(look, LOOK_MS);
  document.addEventListener("visibilitychange", look);
  stage.addEventListener("tesoura:painted", look);
  return {
    heard,
    again: () => { told = 0; },
  };
}
