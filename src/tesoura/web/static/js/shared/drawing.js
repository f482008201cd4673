// Draws what pieces say, and how they come, change and go. Texts come from Tesoura; nothing is decided here.
// Only transform and opacity move, so that the picture stays smooth.
const number = /-?\d[\d.,\u00a0\u202f ]*\d|-?\d/;
const OLD = ".@old";
const style = (node, name) => getComputedStyle(node).getPropertyValue(name).trim();

// What shows each value, found once for what a page holds now.
function index(root) {
  if (root.drawnNodes) return root.drawnNodes;
  const found = { say: new Map(), level: new Map(), drawn: new Map(), piece: new Map() };
  for (const kind of ["say", "level", "drawn", "piece"]) {
    for (const node of root.querySelectorAll(`[data-${kind}]`)) {
      const key = node.dataset[kind];
      if (!found[kind].has(key)) found[kind].set(key, []);
      found[kind].get(key).push(node);
    }
  }
  root.drawnNodes = found;
  return found;
}
// What some pieces need beside this is fetched when a page has one: `data-by="line"` is drawn by `pieces/line.js`.
// One that did not come is asked for anew under another address, since a browser may remember the failure.
const scripts = {};
const failed = {};
async function fetchScript(name) {
  try {
    scripts[name] ??= await import(`../pieces/${name}.js${failed[name] ? `?again=${failed[name]}` : ""}`);
  } catch (error) {
    failed[name] = (failed[name] ?? 0) + 1;
    throw error;
  }
}
export async function load(root) {
  const nodes = [...root.querySelectorAll("[data-by]")];
  await Promise.all([...new Set(nodes.map((node) => node.dataset.by))].map(fetchScript));
  for (const node of nodes) scripts[node.dataset.by].ready?.(node);
}
export const forget = (root) => { root.drawnNodes = null; };

// How a piece moves, read once until its scene or its version changes.
function motion(piece) {
  piece.motion ??= { change: style(piece, "--change"), ms: parseFloat(style(piece, "--ms")) || 400, ease: style(piece, "--ease") || "ease", exit: style(piece, "--exit") };
  return piece.motion;
}

export function say(root, values, moving) {
  const nodes = index(root);
  for (const [key, text] of Object.entries(values)) {
    for (const node of nodes.say.get(key) ?? []) words(node, text, moving);
    for (const node of nodes.level.get(key) ?? []) level(node, text || "0", moving);
    for (const node of nodes.drawn.get(key) ?? []) scripts[node.dataset.by]?.draw(node, text, moving);
    if (key.endsWith(OLD)) for (const node of nodes.piece.get(key.slice(0, -OLD.length)) ?? []) node.toggleAttribute("data-old", text !== "");
    const [piece] = nodes.piece.get(key) ?? [];
    const says = text === "" ? "" : "1";
    if (piece && (piece.dataset.says !== says || piece.going)) { piece.dataset.says = says; there(root, piece, moving); }
  }
}

// A piece is there when it says something and the scene has it.
export function there(root, piece, moving) {
  const away = (piece.dataset.away || "").split("|");
  const shown = Boolean(piece.dataset.says) && !(root.dataset.scene && away.includes(root.dataset.scene.toLowerCase()));
  if (shown === !piece.hidden && !piece.going) return;
  if (shown) come(piece, moving); else go(piece, moving);
}

const SLIDES = { slide_left: [-80, 0], slide_right: [80, 0], slide_up: [0, -80], slide_down: [0, 80] };

function frames(way) {
  if (way === "cut") return null;
  if (SLIDES[way]) return [{ opacity: 0, transform: `translate(${SLIDES[way][0]}px, ${SLIDES[way][1]}px)` }, { opacity: 1, transform: "none" }];
  if (way === "grow") return [{ opacity: 0, transform: "scale(.6)" }, { opacity: 1, transform: "none" }];
  return [{ opacity: 0 }, { opacity: 1 }];
}

// A wipe moves a window over the piece one way and the piece in it the other.
function wipe(body, options) {
  const piece = body.parentElement;
  piece.style.overflow = "hidden";
  const outer = piece.animate([{ transform: "translateX(-100%)" }, { transform: "none" }], options);
  const inner = body.animate([{ transform: "translateX(100%)" }, { transform: "none" }], options);
  outer.finished.catch(() => {}).finally(() => { piece.style.overflow = ""; });
  return inner;
}

function move(piece, way, backwards) {
  const body = piece.firstElementChild;
  const duration = parseFloat(style(piece, "--ms")) || 0;
  const options = { duration, easing: style(piece, "--ease") || "ease", direction: backwards ? "reverse" : "normal", fill: "backwards" };
  for (const running of [...body.getAnimations(), ...piece.getAnimations()]) running.cancel();
  if (!duration || way === "cut") return null;
  return way === "wipe" ? wipe(body, options) : body.animate(frames(way), options);
}

function come(piece, moving) {
  piece.going = null;
  piece.hidden = false;
  if (moving) move(piece, style(piece, "--entry"), false);
}

function go(piece, moving) {
  const leaving = moving && !piece.hidden ? move(piece, style(piece, "--exit"), true) : null;
  if (!leaving) { piece.going = null; piece.hidden = true; return; }
  piece.going = leaving;
  leaving.finished.then(() => { if (piece.going === leaving) { piece.going = null; piece.hidden = true; } }).catch(() => {});
}

// A value changes

function level(node, share, moving) {
  node.piece ??= node.closest(".piece");
  node.style.transition = moving && !tooOften(node, motion(node.piece).ms) ? "" : "none";
  node.style.setProperty("--level", share);
}

// What changes faster than it could move is only written: nobody could follow, and everybody can read.
function tooOften(node, ms) {
  const [now, last] = [performance.now(), node.changed ?? -1e9];
  node.changed = now;
  return now - last < ms;
}

function words(node, text, moving) {
  const old = node.going ?? node.textContent;
  if (old === text) return;
  if (node.dataset.row !== undefined) node.closest(".t-row").toggleAttribute("data-empty", text === "");
  node.stop?.();
  node.piece ??= node.closest(".piece");
  if (!moving || node.piece.hidden || old === "") return plain(node, old, text);
  const { change, ms, ease, exit } = motion(node.piece);
  // When a text goes, what it said leaves with the piece.
  if (text === "") {
    if (node.dataset.say !== node.piece.dataset.piece || exit === "cut") return plain(node, old, text);
    setTimeout(() => { if (node.piece.dataset.says === "") node.textContent = ""; }, ms);
    return undefined;
  }
  return (tooOften(node, ms) ? plain : CHANGES[change] ?? plain)(node, old, text, ms, ease);
}

function plain(node, old, text) { node.textContent = text; }

function until(node, text, end, stop) {
  node.going = text;
  node.stop = () => { node.stop = null; node.going = undefined; stop(); node.textContent = text; };
  end.then(() => { if (node.going === text) node.stop?.(); }).catch(() => {});
}

const CHANGES = {
  plain,
  flash(node, old, text, duration) {
    node.textContent = text;
    node.animate([{ opacity: 0.15 }, { opacity: 1 }, { opacity: 0.4 }, { opacity: 1 }], { duration });
  },
  slide(node, old, text, duration, easing) {
    node.textContent = text;
    const leaving = node.cloneNode();
    leaving.removeAttribute("data-say");
    leaving.classList.add("t-leaving");
    leaving.textContent = old;
    node.style.position = "relative";
    node.append(leaving);
    const gone = leaving.animate([{ opacity: 1, transform: "none" }, { opacity: 0, transform: "translateY(-60%)" }], { duration, easing, fill: "forwards" });
    until(node, text, gone.finished, () => gone.cancel());
    node.animate([{ opacity: 0, transform: "translateY(40%)" }, { opacity: 1, transform: "none" }], { duration, easing });
  },
  roll(node, old, text, duration, easing) {
    if (old.length !== text.length) return plain(node, old, text);
    const moves = [];
    node.replaceChildren(...[...text].map((char, at) => {
      if (char === old[at]) return document.createTextNode(char);
      const window = Object.assign(document.createElement("span"), { className: "t-roll" });
      const [before, after] = [old[at], char].map((one) => Object.assign(document.createElement("i"), { textContent: one }));
      window.append(after, before);
      moves.push(after.animate([{ transform: "translateY(100%)" }, { transform: "none" }], { duration, easing, fill: "backwards" }));
      moves.push(before.animate([{ transform: "none" }, { transform: "translateY(-100%)" }], { duration, easing, fill: "forwards" }));
      return window;
    }));
    until(node, text, Promise.all(moves.map((one) => one.finished)), () => moves.forEach((one) => one.cancel()));
  },
  count(node, old, text, duration) {
    const [from, to] = [old.match(number), text.match(number)];
    const value = (found) => Number(found[0].replace(/[^\d.-]/g, ""));
    const same = from && to && old.slice(0, from.index) === text.slice(0, to.index) && !/[.,]\d{1,2}$/.test(to[0]);
    if (!same || !Number.isFinite(value(from)) || !Number.isFinite(value(to))) return plain(node, old, text);
    const [low, high, separator] = [value(from), value(to), to[0].match(/\d([^\d])\d{3}/)?.[1] ?? ""];
    const start = performance.now();
    let running = true;
    const end = new Promise((done) => {
      const frame = (now) => {
        const share = Math.min((now - start) / duration, 1);
        if (!running || share === 1) return done();
        const shown = String(Math.round(low + (high - low) * (1 - (1 - share) ** 3)));
        node.textContent = text.slice(0, to.index) + shown.replace(/\B(?=(\d{3})+$)/g, separator) + text.slice(to.index + to[0].length);
        requestAnimationFrame(frame);
      };
      requestAnimationFrame(frame);
    });
    until(node, text, end, () => { running = false; });
  },
};

// The scene changes: what is elsewhere there moves to its new place.
export function setScene(root, scene, moving) {
  if ((root.dataset.scene || "") === scene) return;
  const pieces = [...root.querySelectorAll(".piece")];
  const before = new Map(pieces.filter((one) => !one.hidden).map((one) => [one, one.getBoundingClientRect()]));
  root.dataset.scene = scene;
  for (const piece of pieces) piece.motion = null;
  for (const piece of pieces) there(root, piece, moving);
  if (!moving) return;
  for (const [piece, old] of before) {
    if (piece.hidden || piece.going) continue;
    const now = piece.getBoundingClientRect();
    const [x, y, w, h] = [old.left - now.left, old.top - now.top, old.width / (now.width || 1), old.height / (now.height || 1)];
    if (Math.abs(x) + Math.abs(y) < 1 && Math.abs(w - 1) + Math.abs(h - 1) < 0.01) continue;
    piece.firstElementChild.animate(
      [{ transformOrigin: "0 0", transform: `translate(${x}px, ${y}px) scale(${w}, ${h})` }, { transformOrigin: "0 0", transform: "none" }],
      { duration: 420, easing: "cubic-bezier(.2,.7,.2,1)" });
  }
}
