// The overlay's page: takes what Tesoura sends, has it drawn, and comes back by itself. It decides nothing.
import { hearClock } from "../shared/clock.js";
import { forget, load, say, setScene } from "../shared/drawing.js";

const here = location.pathname.split("/").pop();
const picture = new URLSearchParams(location.search).has("picture") ? "?picture=1" : "";
const build = document.documentElement.dataset.build;
const stage = document.querySelector("main");
const SCENE = "@scene";
let rev = Number(stage.dataset.rev);
let tries = 0;
let fetching = null;
let ended = false;
let socket;

const tellTesoura = (what) => { if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(what)); };
// Tesoura's own small pictures are seen by nobody else.
let painted = null;
async function watch() {
  if (painted || picture || !stage.querySelector("[data-by=sponsor]")) return;
  painted = (await import("../shared/painted.js")).watchPainted(stage, tellTesoura);
}

const moves = () => stage.dataset.motion !== "no" && !document.hidden;

function tell(values, moving = moves()) {
  if (values[SCENE] !== undefined) setScene(stage, values[SCENE], moving);
  say(stage, values, moving);
}

// A page of another version of Tesoura is loaded anew; one of another version of the overlay only swaps its pieces.
async function fetchAgain() {
  const newer = (fetching = {});
  const answer = await fetch(location.href, { cache: "no-store" });
  if (!answer.ok) return;
  const page = new DOMParser().parseFromString(await answer.text(), "text/html");
  if (fetching !== newer) return;
  const next = page.querySelector("main");
  const faces = [...next.querySelectorAll("style")].flatMap((sheet) => [...sheet.textContent.matchAll(/--face:('[^']+')[^;]*;--weight:(\d+)/g)]);
  await Promise.all(faces.map(([, family, weight]) => document.fonts.load(`${weight} 20px ${family}`, "0a").catch(() => [])));
  await Promise.all([...next.querySelectorAll("img")].map((image) => Object.assign(new Image(), { src: image.src }).decode().catch(() => {})));
  await load(next);
  if (fetching !== newer) return;
  fetching = null;
  stage.style.cssText = next.style.cssText;
  stage.dataset.motion = next.dataset.motion;
  stage.dataset.scene = next.dataset.scene;
  stage.replaceChildren(...next.childNodes);
  forget(stage);
  watch().catch(() => {});
  rev = Number(next.dataset.rev);
  tell(newer, false);
}

function reloadOnce() {
  // If the server names a build that its own page does not have, once in ten seconds is enough.
  const last = Number(sessionStorage.getItem("reloaded") || 0);
  if (Date.now() - last < 10000) return;
  sessionStorage.setItem("reloaded", String(Date.now()));
  location.reload();
}

// The link was replaced or the overlay put away: viewers see nothing, and whoever points at the page reads why.
function end(why) {
  ended = true;
  stage.replaceChildren(Object.assign(document.createElement("p"), { className: "ended", textContent: why }));
  document.documentElement.classList.add("has-ended");
  socket.close();
}

// What pieces are drawn by may not have come when Tesoura ended in that moment: it is fetched with the next link.
let whole = false;
const loadStage = () => load(stage).then(() => { whole = true; watch().catch(() => {}); }, () => {});

async function hearWhole(message) {
  await loadStage();
  hear(message);
}

function hear(message) {
  if (message.kind === "snapshot" && !whole && !message.looked) return void hearWhole({ ...message, looked: true });
  if (ended && message.kind === "snapshot") return location.reload();
  if (message.kind === "end") return end(message.why);
  if (message.build && message.build !== build) return reloadOnce();
  if (message.rev !== undefined && message.rev !== rev) return void fetchAgain().catch(() => {});
  if (message.kind === "moment") return show(message);
  if (message.kind === "sound") return hearIt(message.source);
  if (message.kind === "kept") return painted?.heard(message.painted);
  if (message.values) {
    if (fetching) Object.assign(fetching, message.values);
    tell(message.values, moves() && message.kind !== "snapshot");
  }
}

// A moment is ended by Tesoura; should the link be lost meanwhile, it still goes when its time is over.
const ends = {};
function show({ id, piece, text, for_s }) {
  clearTimeout(ends[piece]);
  if (fetching) fetching[piece] = text;
  tell({ [piece]: text });
  // Behind the next frame it has been painted, and Tesoura is told: what was seen is known, not guessed.
  requestAnimationFrame(() => requestAnimationFrame(() => {
    tellTesoura({ ack: id });
  }));
  ends[piece] = setTimeout(() => tell({ [piece]: "" }), for_s * 1000 + 1500);
}

// A browser may forbid sound to a page that nobody has touched; Tesoura is told, so that the desk can say so.
function hearIt(source) {
  const tell = (silent) => tellTesoura({ silent });
  new Audio(source).play().then(() => tell(false), () => tell(true));
}

function tellSize() {
  tellTesoura({ width_px: innerWidth, height_px: innerHeight });
}

function connect() {
  socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/live/${here}${picture}`);
  socket.onopen = () => { tries = 0; tellSize(); painted?.again(); };
  socket.onmessage = (event) => {
    const message = JSON.parse(event.data);
    if (message.now_ms) hearClock(message.now_ms);
    hear(message);
  };
  socket.onclose = () => {
    // An overlay that was deleted may be restored; a link that was replaced is not taken any more.
    if (ended) return void setTimeout(connect, 4000);
    // The last frame stays. A quarter of a second at first, five seconds at most, never all pages at once.
    const wait = Math.min(250 * 2 ** tries++, 5000) * (0.75 + Math.random() / 2);
    setTimeout(connect, wait);
  };
}

// What a piece cannot show, viewers do not see: whoever operates is told.
stage.addEventListener("tesoura:trouble", ({ detail }) => {
  tellTesoura({ trouble: detail });
});

addEventListener("resize", tellSize);
loadStage().finally(connect);
