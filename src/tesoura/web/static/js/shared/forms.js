// Forms that perform an action. A refused value stays in its field, beside the reason; unsaved input is marked and asked about.
const sends = (form) => form.method === "post" && !form.matches(".press, [hx-post], [data-own-script]") && new URL(form.action, location).pathname.startsWith("/do/");

function clearWrong(form) {
  for (const words of form.querySelectorAll("[data-refused]")) words.remove();
  for (const control of form.querySelectorAll("[aria-invalid]")) {
    control.removeAttribute("aria-invalid");
    control.removeAttribute("aria-describedby");
  }
}

function showWrong(form, wrong) {
  clearWrong(form);
  const refused = [];
  for (const [name, words] of Object.entries(wrong)) {
    const found = name && form.elements.namedItem(name);
    const control = found instanceof RadioNodeList ? [...found].find((one) => one.type !== "hidden") : found;
    const shown = control && control.type !== "hidden" ? control : null;
    const id = `${shown?.id || form.id || "form"}-${name || "all"}-wrong`;
    const told = Object.assign(document.createElement("p"), { className: "wrong", id, textContent: words });
    told.dataset.refused = "";
    if (shown) {
      shown.closest("details")?.setAttribute("open", "");
      shown.setAttribute("aria-invalid", "true");
      shown.setAttribute("aria-describedby", id);
      (shown.closest("fieldset.ticks") ?? shown.closest(".with-unit, .prefixed") ?? shown).after(told);
      refused.push(shown);
    } else {
      told.setAttribute("role", "alert");
      (form.querySelector(":scope > .acts") ?? form.querySelector(".acts") ?? form.lastElementChild).before(told);
    }
  }
  refused.sort((one, other) => (one.compareDocumentPosition(other) & Node.DOCUMENT_POSITION_FOLLOWING ? -1 : 1))[0]?.focus();
}

function goTo(to) {
  const next = new URL(to, location);
  const samePage = next.pathname + next.search === location.pathname + location.search;
  if (!samePage) return location.assign(next);
  if (next.hash) history.replaceState(null, "", next);
  location.reload();
}

document.addEventListener("submit", async (event) => {
  const form = event.target;
  if (event.defaultPrevented || !sends(form)) return;
  event.preventDefault();
  if (form.dataset.sending) return;
  form.dataset.sending = "yes";
  try {
    const body = new FormData(form, event.submitter);
    const answer = await fetch(form.action, { method: "POST", body, headers: { Accept: "application/json" } });
    if (answer.redirected) return showWrong(form, { "": "You are signed out. Sign in in another tab, then try again. What you typed stays here." });
    const told = await answer.json();
    // Saving again after a conflict keeps one's own values.
    if (told.opened_with) form.elements.opened_with.value = JSON.stringify(told.opened_with);
    if (told.wrong) return showWrong(form, told.wrong);
    if (!told.to) return showWrong(form, { "": `${told.title}. ${told.detail}` });
    delete form.dataset.unsaved;
    goTo(told.to);
  } catch {
    showWrong(form, { "": "Not sent. Check that Tesoura is running, then try again. Your input is kept." });
  } finally {
    delete form.dataset.sending;
  }
});

// A refused field that is being corrected is not called wrong meanwhile.
document.addEventListener("input", ({ target }) => {
  if (!target.form || !sends(target.form) || !target.hasAttribute("aria-invalid")) return;
  document.getElementById(target.getAttribute("aria-describedby"))?.remove();
  target.removeAttribute("aria-invalid");
  target.removeAttribute("aria-describedby");
});

// What was typed into the form of something that exists is unsaved until it is sent.
document.addEventListener("input", ({ target, isTrusted }) => {
  if (isTrusted && target.form && sends(target.form) && target.form.matches("[data-unsaved-form]")) target.form.dataset.unsaved = "yes";
});
addEventListener("beforeunload", (event) => {
  if (document.querySelector("form[data-unsaved]:not([data-sending])")) event.preventDefault();
});
