// The overlay's page: takes what Tesoura sends, draws it, and comes back by itself. It decides nothing.
const here = location.pathname.split("/").pop();
const picture = new URLSearchParams(location.search).has("picture") ? "?picture=1" : "";
const build = document.documentElement.dataset.build;
const stage = document.querySelector("main");
let rev = Number(stage.dataset.rev);
let tries = 0;
let fetching = null;
let socket;

function say(values) {
  for (const [id, text] of Object.entries(values)) {
    const piece = stage.querySelector(`[data-piece="${CSS.escape(id)}"]`);
    if (!piece) continue;
    if (piece.textContent !== text) piece.textContent = text;
    piece.hidden = text === "";
  }
}

// A page of another version of Tesoura is loaded anew; one of another version of the overlay only swaps its pieces.
async function fetchAgain() {
  const newer = (fetching = {});
  const answer = await fetch(location.href, { cache: "no-store" });
  if (!answer.ok) return;
  const page = new DOMParser().parseFromString(await answer.text(), "text/html");
  if (fetching !== newer) return;
  const next = page.querySelector("main");
  await Promise.all([...next.querySelectorAll(".piece")].map((piece) => {
    const { fontWeight, fontFamily } = piece.style;
    return document.fonts.load(`${fontWeight} 20px ${fontFamily}`, piece.textContent || "0").catch(() => []);
  }));
  if (fetching !== newer) return;
  fetching = null;
  stage.style.cssText = next.style.cssText;
  stage.replaceChildren(...next.childNodes);
  rev = Number(next.dataset.rev);
  say(newer);
}

function reloadOnce() {
  // If the server names a build that its own page does not have, once in ten seconds is enough.
  const last = Number(sessionStorage.getItem("reloaded") || 0);
  if (Date.now() - last < 10000) return;
  sessionStorage.setItem("reloaded", String(Date.now()));
  location.reload();
}

function hear(message) {
  if (message.build && message.build !== build) return reloadOnce();
  if (message.rev !== undefined && message.rev !== rev) return void fetchAgain().catch(() => {});
  if (message.kind === "moment") return show(message);
  if (message.values) {
    if (fetching) Object.assign(fetching, message.values);
    say(message.values);
  }
}

// A moment is ended by Tesoura; should the link be lost meanwhile, it still goes when its time is over.
const ends = {};
function show({ piece, text, for_s }) {
  clearTimeout(ends[piece]);
  if (fetching) fetching[piece] = text;
  say({ [piece]: text });
  ends[piece] = setTimeout(() => say({ [piece]: "" }), for_s * 1000 + 1500);
}

function tellSize() {
  if (socket?.readyState === WebSocket.OPEN) {
    socket.send(JSON.stringify({ width_px: innerWidth, height_px: innerHeight }));
  }
}

function connect() {
  socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/live/${here}${picture}`);
  socket.onopen = () => { tries = 0; tellSize(); };
  socket.onmessage = (event) => hear(JSON.parse(event.data));
  socket.onclose = () => {
    // The last frame stays. A quarter of a second at first, five seconds at most, never all pages at once.
    const wait = Math.min(250 * 2 ** tries++, 5000) * (0.75 + Math.random() / 2);
    setTimeout(connect, wait);
  };
}

addEventListener("resize", tellSize);
connect();
