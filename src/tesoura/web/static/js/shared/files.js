// Files beside a field: one that is added is chosen at once, and one that is shown can be replaced wherever it is.
const NO_ANSWER = { wrong: "The file couldn't be sent. Try again." };

export async function sent(address, file) {
  const body = new FormData();
  body.append("file", file);
  const headers = { "X-CSRFToken": document.querySelector('meta[name="csrf"]').content };
  const answer = await fetch(address, { method: "POST", body, headers }).catch(() => null);
  return (await answer?.json().catch(() => NO_ANSWER)) ?? NO_ANSWER;
}

function chosen(field, told) {
  field.setCustomValidity(told.wrong ?? "");
  if (told.wrong) return void field.reportValidity();
  const there = [...field.options].find((one) => one.value === told.name) ?? new Option(told.title, told.name);
  field.add(there);
  field.value = told.name;
  field.dispatchEvent(new Event("change", { bubbles: true }));
}

document.addEventListener("change", async ({ target }) => {
  const { addFile, replace } = target.dataset ?? {};
  if ((!addFile && !replace) || !target.files.length) return;
  const [file] = target.files;
  const field = document.getElementById(target.dataset.for);
  target.value = "";
  if (addFile) return chosen(field, await sent(`/media/${addFile}`, file));
  const told = field.value ? await sent(`/media/${replace}/in-place-of/${field.value}`, file) : { wrong: "Choose the file that is to be replaced." };
  // What viewers see is another now, and so are this page's own choices: it is told on the page as it is then.
  if (told.words) return void location.reload();
  chosen(field, told);
});
