// Plays what a cue would do on the draft beside its form, step by step, and marks the line that is under way.
let timers = [];

function size(trial) {
  const frame = trial.querySelector("iframe");
  if (frame) frame.style.transform = `scale(${frame.parentElement.clientWidth / frame.width})`;
}

function play(trial) {
  timers.forEach(clearTimeout);
  const frame = trial.querySelector("iframe");
  timers = JSON.parse(trial.dataset.trial).map((act) => setTimeout(() => frame.contentWindow.postMessage(act, location.origin), act.at_s * 1000));
  for (const line of trial.querySelectorAll("[data-at]")) timers.push(setTimeout(() => line.classList.add("is-begun"), Number(line.dataset.at) * 1000));
}

document.body.addEventListener("htmx:afterSwap", (event) => {
  const trial = event.target.querySelector?.("[data-trial]");
  if (!trial) return;
  size(trial);
  if (!trial.querySelector("iframe")) play(trial);
});
addEventListener("message", (event) => {
  const trial = document.querySelector("[data-trial]");
  if (event.origin === location.origin && event.data === "ready" && trial) play(trial);
});
addEventListener("resize", () => document.querySelectorAll("[data-trial]").forEach(size));
