// A clip trimmed on its filmstrip: two edges, dragged or moved by keys; the numbers beside them are the same.
const look = document.querySelector(".clip-look");
const video = look.querySelector("video");
const strip = look.querySelector(".clip-strip");
const long = Number(look.dataset.length);
const fields = { begin: document.querySelector("#trim-begin"), end: document.querySelector("#trim-end") };
const LEAST = 0.5;

function value(name) { return Math.min(Math.max(Number(fields[name].value) || 0, 0), long); }

function draw() {
  for (const edge of strip.querySelectorAll(".clip-edge")) {
    const at = value(edge.dataset.edge);
    edge.style.left = `${(at / long) * 100}%`;
    edge.setAttribute("aria-valuemin", "0");
    edge.setAttribute("aria-valuemax", long.toFixed(1));
    edge.setAttribute("aria-valuenow", at.toFixed(2));
    edge.setAttribute("aria-valuetext", `${at.toFixed(1)} seconds`);
  }
  strip.style.setProperty("--begin", `${(value("begin") / long) * 100}%`);
  strip.style.setProperty("--end", `${(value("end") / long) * 100}%`);
}

function move(name, to) {
  const bound = name === "begin" ? [0, value("end") - LEAST] : [value("begin") + LEAST, long];
  fields[name].value = Math.min(Math.max(to, bound[0]), bound[1]).toFixed(2);
  video.pause();
  video.currentTime = value(name);
  draw();
}

if (strip) {
  strip.addEventListener("pointerdown", (event) => {
    const edge = event.target.closest(".clip-edge");
    const { left, width } = strip.getBoundingClientRect();
    const at = (x) => ((x - left) / width) * long;
    if (!edge) { video.currentTime = Math.min(Math.max(at(event.clientX), 0), long); return; }
    edge.focus();
    edge.setPointerCapture(event.pointerId);
    edge.onpointermove = (moved) => move(edge.dataset.edge, at(moved.clientX));
    edge.onpointerup = edge.onpointercancel = () => { edge.onpointermove = null; };
  });
  strip.addEventListener("keydown", (event) => {
    const edge = event.target.closest(".clip-edge");
    const step = { ArrowLeft: -0.1, ArrowRight: 0.1, ArrowDown: -0.1, ArrowUp: 0.1, PageDown: -1, PageUp: 1 }[event.key];
    if (!edge || (step === undefined && !["Home", "End"].includes(event.key))) return;
    event.preventDefault();
    const by = event.shiftKey ? 10 : 1;
    move(edge.dataset.edge, event.key === "Home" ? 0 : event.key === "End" ? long : value(edge.dataset.edge) + step * by);
  });
  for (const field of Object.values(fields)) field.addEventListener("input", draw);
  look.querySelector("[data-play]").addEventListener("click", () => { video.currentTime = value("begin"); video.play(); video.until = value("end"); });
  video.addEventListener("timeupdate", () => {
    strip.style.setProperty("--at", `${(video.currentTime / long) * 100}%`);
    if (video.until && video.currentTime >= video.until) { video.pause(); video.until = 0; }
  });
  draw();
}
document.querySelector("[data-here]")?.addEventListener("click", () => { document.querySelector("#seen-at").value = video.currentTime.toFixed(2); });
