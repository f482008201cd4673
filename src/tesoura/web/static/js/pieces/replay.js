// A replay: a clip shown part by part at the speeds that Tesoura has worked out. A page that opens late joins at the right
// second. Two players take turns, so that where something is left out the next part is there already.
import { beganAt, now } from "../shared/clock.js";

const onStream = document.documentElement.classList.contains("on-stream");
const still = matchMedia("(prefers-reduced-motion: reduce)");
const [DRIFT_S, LATE_MS, MOST_AHEAD_MS, STEPS] = [0.25, 2500, 3000, 12];

const read = (text) => { try { return JSON.parse(text || "{}"); } catch { return {}; } };

export function draw(node, text) { motion(node.closest(".t-replay"), text); }
export function ready(node) { if (node.classList.contains("t-replay")) motion(node, node.dataset.motion); }

function motion(piece, text) {
  if (piece.drawnMotion === text) return;
  piece.drawnMotion = text;
  const told = read(text);
  if (told.id && told.id === piece.told?.id && told.ms === piece.told.ms) return;
  stop(piece);
  piece.told = told;
  if (!told.id) return hold(piece, told.next);
  if (now() >= told.at + told.ms) return;
  begin(piece, told);
}

const players = (piece) => [...piece.querySelectorAll("video")];

function stop(piece) {
  clearTimeout(piece.timer);
  piece.near?.cancel();
  piece.left?.cancel();
  piece.near = null;
  piece.classList.add("is-still");
  for (const one of players(piece)) {
    one.pause();
    one.classList.remove("is-seen");
    one.onerror = null;
    // What is not seen any more holds no memory.
    if (one.src) { one.removeAttribute("src"); one.load(); }
  }
}

// The clip that comes next is fetched before its time.
function hold(piece, address) { if (address && onStream) put(players(piece)[0], address); }

function put(player, address) { if (player.getAttribute("src") !== address) player.src = address; }

// The stretches that follow on each other without anything left out.
function parts(told) {
  const found = [];
  for (const [shown, begin, end, speed] of told.stretches) {
    const last = found.at(-1);
    if (last && last.end === begin) { last.end = end; last.rows.push([shown, begin, end, speed]); } else found.push({ begin, end, rows: [[shown, begin, end, speed]] });
  }
  return found;
}

function begin(piece, told) {
  const [first, second] = players(piece);
  const all = parts(told);
  const gone = Math.max(now() - told.at, 0);
  const at = Math.max(all.findLastIndex((one) => one.rows[0][0] <= gone), 0);
  piece.order = all.map((one, place) => ({ ...one, player: (place - at) % 2 === 0 ? first : second }));
  piece.at = at - 1;
  for (const [place, player] of [[at, first], [at + 1, second]]) if (piece.order[place]) prime(piece, told, player, piece.order[place], place === at ? where(piece.order[place].rows, gone) : piece.order[place].begin);
  piece.timer = setTimeout(() => go(piece, told), Math.max(told.at - now(), 0));
}

function prime(piece, told, player, part, ms) {
  player.onerror = () => unseen(piece, told, "its browser can't play the clip");
  put(player, told.clip);
  player.currentTime = ms / 1000;
}

// Going somewhere takes its time, by which it would be late again: so it goes ahead by as much as it took last time.
function seek(part, gone) {
  const begun = now();
  part.player.onseeked = () => { part.took = Math.min(now() - begun, MOST_AHEAD_MS); part.player.onseeked = null; };
  part.player.currentTime = where(part.rows, gone + (part.took ?? 0)) / 1000;
}

// Where in the clip it is when it has been shown for so long.
function where(rows, gone) {
  const [shown, begin, end, speed] = rows.findLast((one) => one[0] <= gone) ?? rows[0];
  return Math.min(begin + Math.max(gone - shown, 0) * speed / 100, end);
}

function go(piece, told) {
  if (piece.told !== told || !piece.isConnected) return;
  const gone = now() - told.at;
  if (gone >= told.ms) return stop(piece);
  if (!piece.near) moveIn(piece, told);
  const place = piece.order.findLastIndex((one) => one.rows[0][0] <= gone);
  const part = piece.order[Math.max(place, 0)];
  if (place !== piece.at) turn(piece, told, Math.max(place, 0));
  const row = part.rows.findLast((one) => one[0] <= gone) ?? part.rows[0];
  const speed = row[3] / 100;
  const wanted = where(part.rows, gone) / 1000;
  if (part.player.playbackRate !== speed) part.player.playbackRate = speed;
  if (Math.abs(part.player.currentTime - wanted) > DRIFT_S && !part.player.seeking && part.player.readyState >= 2) seek(part, gone);
  if (gone > LATE_MS && part.player.readyState < 2 && !piece.late) { piece.late = told.id; unseen(piece, told, "the clip didn't load in time"); }
  const next = part.rows.find((one) => one[0] > gone)?.[0] ?? piece.order[place + 1]?.rows[0][0] ?? told.ms;
  piece.timer = setTimeout(() => go(piece, told), Math.min(Math.max(next - gone, 4), 250));
}

function turn(piece, told, place) {
  const [part, before, after] = [piece.order[place], piece.order[place - 1], piece.order[place + 1]];
  piece.at = place;
  piece.classList.remove("is-still");
  sound(piece, part.player);
  part.player.play().catch(() => { part.player.muted = true; part.player.play().catch(() => {}); });
  for (const one of players(piece)) one.classList.toggle("is-seen", one === part.player);
  if (before && before.player !== part.player) before.player.pause();
  if (after && after.player !== part.player) prime(piece, told, after.player, after, after.begin);
}

function sound(piece, player) {
  const loud = onStream ? { on: 1, quiet: Number(piece.dataset.loud) / 100 }[piece.dataset.sound] ?? 0 : 0;
  player.volume = loud;
  player.muted = loud === 0;
}

// How it gets closer: as the core has it, in steps that the browser goes between by itself; and the bar of what is left.
function moveIn(piece, told) {
  const steps = [];
  for (let step = 0; step <= STEPS; step += 1) {
    const way = step / STEPS;
    const times = 1 + (told.closer - 1) * way * way * (3 - 2 * way);
    const [left, top] = [told.x, told.y].map((one) => Math.min(Math.max(one - 0.5 / times, 0), 1 - 1 / times));
    steps.push({ transform: `scale(${times}) translate(${-left * 100}%, ${-top * 100}%)` });
  }
  const near = piece.querySelector(".t-replay-near");
  const ms = still.matches && !onStream ? 1 : Math.max(told.move, 1);
  piece.near = near.animate(told.closer > 1 ? steps : [{ transform: "none" }, { transform: "none" }], { duration: ms, fill: "both" });
  beganAt(piece.near, told.at);
  const bar = piece.querySelector(".t-replay-left > b");
  if (!bar) return;
  piece.left = bar.animate([{ transform: "scaleX(1)" }, { transform: "scaleX(0)" }], { duration: told.ms, fill: "both" });
  beganAt(piece.left, told.at);
}

// Whoever operates is told that viewers see nothing.
function unseen(piece, told, why) {
  if (piece.told === told && onStream) piece.dispatchEvent(new CustomEvent("tesoura:trouble", { bubbles: true, detail: { of: told.id, why } }));
}
