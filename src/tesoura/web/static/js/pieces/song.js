// A song card: its cover, its colours, and how far the song is. The place in the song is told once, with when it was
// there and whether it moves; from there it goes on by itself.
import { beganAt, now } from "../shared/clock.js";

const HEX = /^#[0-9A-F]{6}$/;
const VARIABLES = ["--backing", "--colour", "--accent", "--quiet"];

export function draw(node, text, moving) {
  if (node.tagName === "IMG") return picture(node, text, moving);
  if (node.classList.contains("t-song")) return tint(node, text);
  return place(node, text);
}

// The cover

function picture(node, name, moving) {
  const source = name ? `/covers/${name}` : "";
  if ((node.getAttribute("src") || "") === source) { node.hidden = !source; return; }
  node.wanted = source;
  if (!source) { node.hidden = true; node.removeAttribute("src"); return; }
  // Decoded before it is shown: a card is never seen with half a picture.
  const next = new Image();
  next.src = source;
  next.decode().then(() => {
    if (node.wanted !== source) return;
    node.src = source;
    node.hidden = false;
    if (moving) node.animate([{ opacity: 0 }, { opacity: 1 }], { duration: 300 });
  }, () => { if (node.wanted === source) node.hidden = true; });
}

function tint(node, text) {
  const colours = (text || "").split(" ");
  const whole = colours.length === VARIABLES.length && colours.every((one) => HEX.test(one));
  VARIABLES.forEach((name, at) => whole ? node.style.setProperty(name, colours[at]) : node.style.removeProperty(name));
}

// Where the song is

function read(text) {
  const [position, length, speed, since] = (text || "").split("|");
  if (position === undefined || since === undefined) return null;
  return { position: Number(position), length: Number(length) || 0, moves: speed === "1", since: Number(since) };
}

function now_s(song) {
  const gone = song.moves ? Math.max((now() - song.since) / 1000, 0) : 0;
  return song.length ? Math.min(song.position + gone, song.length) : song.position + gone;
}

const FULL = { bar: [{ transform: "scaleX(0)" }, { transform: "scaleX(1)" }],
  right: [{ transform: "rotate(-180deg)" }, { transform: "rotate(0)", offset: .5 }, { transform: "rotate(0)" }],
  left: [{ transform: "rotate(-180deg)" }, { transform: "rotate(-180deg)", offset: .5 }, { transform: "rotate(0)" }] };

function place(node, text) {
  const [song, draws] = [read(text), node.dataset.draws];
  clearTimeout(node.next);
  if (draws === "known") return void node.toggleAttribute("data-unknown", !song?.length);
  if (draws === "time") return time(node, song);
  if (draws === "turn") return turn(node, song);
  node.moving?.cancel();
  if (!FULL[draws] || !song?.length) return;
  // The browser's compositor moves it; no message and no script is needed until somebody touches the song.
  node.moving = node.animate(FULL[draws], { duration: song.length * 1000, fill: "both" });
  if (song.moves) return beganAt(node.moving, song.since - song.position * 1000);
  node.moving.currentTime = now_s(song) * 1000;
  node.moving.pause();
}

function turn(node, song) {
  node.turning ??= node.animate([{ transform: "none" }, { transform: "rotate(360deg)" }], { duration: 12000, iterations: Infinity });
  if (song?.moves) node.turning.play(); else node.turning.pause();
}

function written(seconds) {
  const [whole, two] = [Math.floor(seconds), (n) => String(n).padStart(2, "0")];
  const [hours, minutes] = [Math.floor(whole / 3600), Math.floor(whole / 60) % 60];
  return hours ? `${hours}:${two(minutes)}:${two(whole % 60)}` : `${minutes}:${two(whole % 60)}`;
}

const SHOWN = {
  position: (at) => written(at),
  left: (at, length) => length ? `−${written(length - at)}` : "",
  both: (at, length) => length ? `${written(at)} / ${written(length)}` : written(at),
};

function time(node, song) {
  if (!song) { node.textContent = ""; return; }
  const at = now_s(song);
  node.textContent = SHOWN[node.dataset.shows](at, song.length);
  if (song.moves && !(song.length && at >= song.length) && node.isConnected) {
    node.next = setTimeout(() => time(node, song), (1 - at % 1) * 1000 + 5);
  }
}

// Before the first word from Tesoura, a page shows what it was drawn with.
export function ready(node) {
  if (node.dataset.begin === undefined) return;
  for (const one of node.parentElement.querySelectorAll("[data-draws]")) place(one, node.dataset.begin);
}
