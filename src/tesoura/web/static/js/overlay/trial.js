// A draft on which a cue is tried: shows and hides what the page around it says. It talks with nobody else.
import { load, say } from "../shared/drawing.js";

const stage = document.querySelector("main");
const shown = JSON.parse(stage.dataset.shown);
const first = Object.fromEntries([...stage.querySelectorAll("[data-piece]")].map((piece) => [piece.dataset.piece, piece.dataset.says]));

function play({ values = {}, shown: which = {}, before = [], sound }) {
  const told = { ...values };
  for (const [piece, is] of Object.entries(which)) told[piece] = is ? shown[piece] : "";
  for (const piece of before) told[piece] = first[piece] ? shown[piece] : "";
  say(stage, told, true);
  if (sound) new Audio(sound).play().catch(() => {});
}

addEventListener("message", (event) => {
  if (event.origin === location.origin && event.source === parent) play(event.data);
});
load(stage).catch(() => {}).finally(() => parent.postMessage("ready", location.origin));
