// A starter's picture: what it would show, a step every two seconds, on a made-up evening. It stands still for those who wish so.
import { hearClock } from "../shared/clock.js";
import { load, say } from "../shared/drawing.js";

const stage = document.querySelector("main");
const steps = JSON.parse(stage.dataset.steps);
const { x, y, width, height } = Object.fromEntries(Object.entries(stage.dataset).map(([name, told]) => [name, Number(told)]));
const EVERY_MS = 2000;
const ROOM = 0.86;

// What it shows fills the frame, whatever the overlay's size.
function fit() {
  const scale = Math.min((innerWidth * ROOM) / width, (innerHeight * ROOM) / height);
  const left = (innerWidth - width * scale) / 2 - x * scale;
  const top = (innerHeight - height * scale) / 2 - y * scale;
  stage.style.transform = `translate(${left}px, ${top}px) scale(${scale})`;
}

let at = 0;
function next() {
  if (document.hidden) return;
  at = (at + 1) % steps.length;
  say(stage, steps[at], true);
}

fit();
addEventListener("resize", fit);
hearClock(Number(stage.dataset.at) * 1000);
await load(stage);
say(stage, steps[0], false);
document.body.classList.add("is-drawn");
if (steps.length > 1 && !matchMedia("(prefers-reduced-motion: reduce)").matches) setInterval(next, EVERY_MS);
