// The gallery and the editor of looks: samples drawn to fit, changes sent at once.
const form = document.getElementById("look-form");

function fit() {
  for (const stage of document.querySelectorAll(".sample-stage")) {
    const scale = stage.parentElement.clientWidth / parseFloat(stage.style.width);
    stage.style.transform = `scale(${scale})`;
    stage.parentElement.style.height = `${parseFloat(stage.style.height) * scale}px`;
  }
}
new ResizeObserver(fit).observe(document.querySelector("main"));
fit();

let waiting = {};
let saved = JSON.parse(form?.dataset.saved ?? "{}");
const body = (set) => JSON.stringify({ set, form: form.dataset.form, opened_with: saved });
let timer = 0;
let sending = false;

async function send() {
  if (sending || !Object.keys(waiting).length) return;
  sending = true;
  const set = waiting;
  waiting = {};
  const answer = await fetch(`/looks/${form.dataset.look}`, {
    method: "POST", headers: { "Content-Type": "application/json", "X-CSRFToken": document.querySelector('meta[name="csrf"]').content },
    body: body(set),
  }).catch(() => null);
  sending = false;
  if (!answer || ![200, 422].includes(answer.status)) {
    waiting = { ...set, ...waiting };
    document.getElementById("saved").textContent = "Not saved: Tesoura isn't answering. Retrying.";
    timer = setTimeout(send, 1000);
    return;
  }
  const said = await answer.json();
  saved = said.saved;
  document.getElementById("samples").innerHTML = said.samples;
  fit();
  window.Idiomorph.morph(document.getElementById("look-panel"), said.panel, { morphStyle: "innerHTML", ignoreActiveValue: true });
  for (const name of Object.keys(set)) wrong(name, said.wrong[name]);
  document.getElementById("saved").textContent = Object.keys(said.wrong).length ? "Saved, except for the fields with errors." : `Saved at ${new Date().toLocaleTimeString("en-GB")}.`;
  if (Object.keys(waiting).length) send();
}

function wrong(name, message) {
  const input = document.getElementById(`c-${name}`);
  if (!input) return;
  document.getElementById(`c-${name}-wrong`)?.remove();
  input.toggleAttribute("aria-invalid", Boolean(message));
  if (!message) return;
  input.setAttribute("aria-invalid", "true");
  input.setAttribute("aria-errormessage", `c-${name}-wrong`);
  input.closest(".field").append(Object.assign(document.createElement("p"), { id: `c-${name}-wrong`, className: "wrong", textContent: message }));
}

form?.addEventListener("input", ({ target }) => {
  let field = target;
  if (target.dataset.for) { field = document.getElementById(target.dataset.for); field.value = target.value.toUpperCase(); }
  else {
    const swatch = form.querySelector(`[data-for="${target.id}"]`);
    if (swatch && /^#[0-9a-f]{6}$/i.test(target.value)) swatch.value = target.value;
  }
  if (!field.name) return;
  waiting[field.name] = field.value;
  clearTimeout(timer);
  timer = setTimeout(send, 140);
});
form?.addEventListener("submit", (event) => event.preventDefault());
addEventListener("pagehide", () => {
  if (form && Object.keys(waiting).length) fetch(`/looks/${form.dataset.look}`, { method: "POST", keepalive: true, headers: { "Content-Type": "application/json", "X-CSRFToken": document.querySelector('meta[name="csrf"]').content }, body: body(waiting) });
});
