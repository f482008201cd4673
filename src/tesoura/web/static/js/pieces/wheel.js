// A wheel, or a list that drops: drawn from its fields, turned along a line of angles that Tesoura has worked out. A page
// that opens late joins in where the wheel is by then.
import { beganAt, now } from "../shared/clock.js";

const SVG = "http://www.w3.org/2000/svg";
const [RIM, HOLE, EVERY_MS] = [0.93, { plate: 0.16, ring: 0.42 }, 40];
const still = matchMedia("(prefers-reduced-motion: reduce)");
const onStream = document.documentElement.classList.contains("on-stream");

const read = (text) => { try { return JSON.parse(text); } catch { return null; } };
const svg = (name, given, ...inside) => {
  const node = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(given)) node.setAttribute(key, value);
  node.append(...inside);
  return node;
};

export function draw(node, text) {
  const wheel = node.closest(".t-wheel");
  if (node.dataset.draws === "face") face(wheel, text); else motion(wheel, text);
}

export function ready(node) {
  if (!node.classList.contains("t-wheel")) return;
  face(node, node.dataset.face);
  motion(node, node.dataset.motion);
}

// A typeface may come only with the first words that are set in it: then they are measured again.
document.fonts?.addEventListener("loadingdone", () => { for (const wheel of document.querySelectorAll(".t-wheel")) if (wheel.fields) paint(wheel); });

// One that was hidden has its size once it is seen.
const sized = new ResizeObserver((all) => {
  for (const { target } of all) {
    const wheel = target.parentElement;
    if (wheel?.fields && target.clientWidth && wheel.paintedAt !== target.clientWidth) paint(wheel);
  }
});

// Its fields

function face(wheel, text) {
  if (wheel.drawnFace === text) return;
  wheel.drawnFace = text;
  wheel.fields = (read(text || "[]") ?? []).map(([words, edge, colour, letters, picture]) => ({ words, edge, colour, letters, picture }));
  wheel.fields.forEach((one, at) => { one.begin = at ? wheel.fields[at - 1].edge : 0; });
  paint(wheel);
  if (wheel.drawnMotion !== undefined) { const last = wheel.drawnMotion; wheel.drawnMotion = undefined; motion(wheel, last); }
}

function paint(wheel) {
  const room = wheel.querySelector(".t-wheel-room");
  wheel.paintedAt = room.clientWidth;
  sized.observe(room);
  if (wheel.dataset.arranged === "drop") rows(wheel); else plate(wheel);
  if (wheel.angle !== undefined) stand(wheel, wheel.angle);
  come(wheel, wheel.came ?? null);
}

function plate(wheel) {
  const turns = wheel.querySelector(".t-wheel-turns > svg");
  // In the page's own pixels, however small the mat shows it.
  const wide = turns.parentElement.clientWidth;
  const style = getComputedStyle(wheel);
  const px = 1000 / (wide || 800);
  const hole = HOLE[wheel.dataset.arranged] * 500;
  const parts = [];
  wheel.fields.forEach((one, place) => {
    const share = one.edge - one.begin;
    if (share <= 0) return;
    const drawn = [sector(one, share, wheel.dataset.arranged === "ring" ? hole : 0), words(one, share, hole, style, px, Number(wheel.dataset.floor) / 100)];
    if (one.picture) drawn.push(picture(one, hole));
    parts.push(svg("g", { class: "t-wheel-field", "data-at": place }, ...drawn));
  });
  for (const one of wheel.fields.filter((each) => each.edge > each.begin)) {
    const [x, y] = at(one.edge, 482);
    parts.push(svg("circle", { class: "t-wheel-peg", cx: x, cy: y, r: 9 }));
  }
  parts.push(svg("circle", { class: "t-wheel-rim", r: 494, "stroke-width": 12 }));
  if (wheel.dataset.arranged === "ring") parts.push(svg("circle", { class: "t-wheel-rim", r: hole, "stroke-width": 8 }));
  turns.replaceChildren(...parts);
}

const at = (share, radius) => [Math.sin(share * 2 * Math.PI) * radius, -Math.cos(share * 2 * Math.PI) * radius].map((one) => one.toFixed(2));

function sector(one, share, inner) {
  if (share > 0.9999) return svg("circle", { r: 245 + inner / 2, fill: "none", stroke: one.colour, "stroke-width": 490 - inner });
  const [[x, y], [u, v], [p, q], [r, s]] = [at(one.begin, 490), at(one.edge, 490), at(one.edge, inner), at(one.begin, inner)];
  const large = share > 0.5 ? 1 : 0;
  const d = `M${r} ${s}L${x} ${y}A490 490 0 ${large} 1 ${u} ${v}L${p} ${q}${inner ? `A${inner} ${inner} 0 ${large} 0 ${r} ${s}` : ""}Z`;
  return svg("path", { class: "t-wheel-line", "stroke-width": 3, fill: one.colour, d });
}

function picture(one, hole) {
  const middle = (one.begin + one.edge) / 2;
  const [x, y] = at(middle, hole + 70);
  const size = Math.min(90, 2 * (hole + 70) * Math.sin(Math.min(one.edge - one.begin, 0.5) * Math.PI) * 0.8);
  return svg("image", { href: `/media/${one.picture}`, x: x - size / 2, y: y - size / 2, width: size, height: size, transform: `rotate(${middle * 360} ${x} ${y})` });
}

const ink = document.createElement("canvas").getContext("2d");
function width(text, size, style) {
  ink.font = `${style.fontWeight} ${size}px ${style.fontFamily}`;
  return ink.measureText(text).width;
}

// Words run from the rim towards the middle: as large as is wished, smaller where they must, and cut where they still must.
function words(one, share, hole, style, px, floor) {
  const begins = one.picture ? hole + 130 : hole + 10;
  const [long, wished] = [RIM * 500 - begins, parseFloat(style.fontSize) * px];
  const middle = (RIM * 500 + begins) / 2;
  const high = 2 * middle * Math.sin(Math.min(share, 0.5) * Math.PI) * 0.86;
  const fits = Math.min(wished, high / 1.1, (wished * long) / (width(one.words, wished, style) || 1));
  const size = Math.max(fits, wished * floor);
  let shown = one.words;
  while (shown.length > 1 && width(shown, size, style) > long * 1.01) shown = `${shown.replace(/…$/, "").slice(0, -1)}…`;
  const turn = ((one.begin + one.edge) / 2) * 360 - 90;
  return svg("text", { transform: `rotate(${turn.toFixed(3)})`, x: RIM * 500, "text-anchor": "end", "font-size": size.toFixed(2), fill: one.letters }, shown);
}

function rows(wheel) {
  const list = wheel.querySelector(".t-wheel-rows");
  const there = wheel.fields.filter((one) => one.edge > one.begin);
  const style = getComputedStyle(wheel);
  const [room, wished] = [(list.parentElement.clientWidth || 600) * 0.9, parseFloat(style.fontSize)];
  const row = (one) => {
    const place = wheel.fields.indexOf(one);
    const [item, text] = [document.createElement("li"), document.createElement("span")];
    item.dataset.at = place;
    Object.assign(item.style, { background: one.colour, color: one.letters });
    text.textContent = one.words;
    text.style.fontSize = `${Math.max(Math.min(wished, (wished * room) / (width(one.words, wished, style) || 1)), (wished * Number(wheel.dataset.floor)) / 100)}px`;
    if (one.picture) item.append(Object.assign(document.createElement("img"), { src: `/media/${one.picture}`, alt: "" }));
    item.append(text);
    return item;
  };
  // Of a list without end three are seen twice at either side.
  const all = there.length ? [...there.slice(-3), ...there, ...there.slice(0, 3)] : [];
  while (all.length && all.length < there.length + 6) all.push(there[all.length % there.length]);
  list.replaceChildren(...all.map(row));
  wheel.there = there;
}

// How it turns

function motion(wheel, text) {
  if (wheel.drawnMotion === text) return;
  wheel.drawnMotion = text;
  const told = read(text || "{}") ?? {};
  wheel.turning?.cancel();
  cancelAnimationFrame(wheel.frame);
  const gone = told.line ? now() - told.at : 0;
  wheel.told = told;
  come(wheel, null);
  if (!told.line || gone >= told.ms) { stand(wheel, told.angle ?? 0); return come(wheel, told.came ?? null); }
  if (still.matches) return cross(wheel, told, gone);
  stand(wheel, told.line[0][1]);
  if (wheel.dataset.arranged === "drop") return drop(wheel, told);
  const turns = wheel.querySelector(".t-wheel-turns");
  wheel.turning = turns.animate(told.line.map(([offset, angle]) => ({ offset, transform: `rotate(${angle}turn)` })),
    { duration: told.ms, fill: "both" });
  beganAt(wheel.turning, told.at);
  wheel.turning.finished.then(() => { stand(wheel, told.angle); come(wheel, told.came); wheel.turning?.cancel(); }).catch(() => {});
  follow(wheel, told);
}

function stand(wheel, angle) {
  wheel.angle = angle;
  if (wheel.dataset.arranged === "drop") return lay(wheel, angle);
  wheel.querySelector(".t-wheel-turns").style.transform = `rotate(${angle}turn)`;
}

// What came stands out once it has landed.
function come(wheel, came) {
  wheel.came = came;
  wheel.classList.toggle("has-come", came !== null);
  for (const one of wheel.querySelectorAll("[data-at]")) one.classList.toggle("is-come", one.dataset.at === String(came));
}

function cross(wheel, told, gone) {
  stand(wheel, told.line[0][1]);
  clearTimeout(wheel.landing);
  wheel.landing = setTimeout(() => {
    if (wheel.told !== told) return;
    stand(wheel, told.angle);
    come(wheel, told.came);
    wheel.querySelector(".t-wheel-room").animate([{ opacity: 0 }, { opacity: 1 }], 400);
  }, told.ms - gone);
}

function angleAt(line, share) {
  let [low, high] = [0, line.length - 1];
  while (high - low > 1) { const middle = (low + high) >> 1; if (line[middle][0] <= share) low = middle; else high = middle; }
  const [[from, a], [to, b]] = [line[low], line[high]];
  return a + (b - a) * Math.min(Math.max((share - from) / (to - from || 1), 0), 1);
}

// The list lies so that what would be under a wheel's pointer is in the middle of its window.
function lay(wheel, angle) {
  const list = wheel.querySelector(".t-wheel-rows");
  const share = ((-angle % 1) + 1) % 1;
  const there = wheel.there ?? [];
  const place = Math.max(there.findIndex((one) => share < one.edge), 0);
  const one = there[place];
  const within = one ? (share - one.begin) / (one.edge - one.begin) : 0.5;
  const high = list.parentElement.clientHeight / 5;
  // Three rows stand before the first; the middle of the window is two and a half rows down.
  list.style.transform = `translateY(${((2.5 - 3 - place - within) * high).toFixed(2)}px)`;
}

function drop(wheel, told) {
  const frame = () => {
    const share = (now() - told.at) / told.ms;
    lay(wheel, share >= 1 ? told.angle : angleAt(told.line, Math.max(share, 0)));
    if (wheel.told !== told || !wheel.isConnected) return;
    if (share < 1) wheel.frame = requestAnimationFrame(frame); else come(wheel, told.came);
  };
  frame();
  follow(wheel, told, true);
}

// Pegs: each that passes sounds, the quicker the higher, and the pointer gives.

function ticks(wheel, told) {
  const found = [];
  const edges = wheel.fields.filter((one) => one.edge > one.begin).map((one) => one.edge % 1);
  told.line.slice(1).forEach(([share, angle], at) => {
    const [before, last] = told.line[at];
    const [low, high] = [Math.min(last, angle), Math.max(last, angle)];
    for (const edge of edges) {
      // The peg of an edge is at the pointer whenever the angle is a whole turn less it.
      for (let turn = Math.ceil(low + edge); turn <= high + edge; turn += 1) {
        const part = Math.abs((turn - edge - last) / (angle - last || 1));
        const speed = Math.abs(angle - last) / ((share - before) * told.ms || 1);
        if (turn - edge > low || (turn - edge === low && at === 0)) found.push({ ms: (before + (share - before) * part) * told.ms, speed });
      }
    }
  });
  return found.sort((one, other) => one.ms - other.ms);
}

const sounds = {};
let context;
async function sound(source) {
  context ??= new AudioContext();
  sounds[source] ??= fetch(source).then((answer) => answer.arrayBuffer()).then((data) => context.decodeAudioData(data)).catch(() => null);
  return sounds[source];
}

async function follow(wheel, told, still_) {
  const due = ticks(wheel, told);
  const loud = onStream && wheel.dataset.sound === "yes" && told.tick;
  const heard = loud ? await sound(told.tick.includes(".") ? `/media/${told.tick}` : `/static/sounds/${told.tick}.wav`) : null;
  const pointer = wheel.querySelector(".t-wheel-pointer");
  const way = Math.sign(told.angle - told.line[0][1]) || 1;
  let [next, last] = [0, -EVERY_MS];
  const frame = () => {
    if (wheel.told !== told || !wheel.isConnected) return;
    const gone = now() - told.at;
    let passed = null;
    while (next < due.length && due[next].ms <= gone) { passed = due[next]; next += 1; }
    if (passed && gone - passed.ms < 200 && gone - last >= EVERY_MS) {
      last = gone;
      if (heard) {
        const player = new AudioBufferSourceNode(context, { buffer: heard, playbackRate: Math.min(0.8 + passed.speed * 500, 1.8) });
        player.connect(context.destination);
        player.start();
      }
      if (!still_) pointer?.animate([{ transform: `rotate(${-way * 16}deg)` }, { transform: "none" }], { duration: 150, easing: "cubic-bezier(.2,1.6,.4,1)" });
    }
    if (next < due.length) setTimeout(() => requestAnimationFrame(frame), 8);
  };
  frame();
}
