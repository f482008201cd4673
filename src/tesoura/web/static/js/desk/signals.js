// Groups of signals: which are open is told to the server, which fills them, and is remembered for as long as the tab is.
const opened = document.getElementById("opened");
const list = document.getElementById("signals");
const all = new Set((sessionStorage.getItem("signals:open") ?? opened.value).split(",").filter(Boolean));
const told = () => { opened.value = [...all].join(","); sessionStorage.setItem("signals:open", opened.value); };

list.addEventListener("toggle", ({ target }) => {
  if (!target.dataset.group || target.open === all.has(target.dataset.group)) return;
  // While something is looked for, what answers to it is open by itself.
  if (document.getElementById("find").value) return;
  all[target.open ? "add" : "delete"](target.dataset.group);
  told();
  if (target.open) list.dispatchEvent(new Event("tesoura-opened"));
}, true);

const came = opened.value;
for (const one of list.querySelectorAll("details[open][data-group]")) all.add(one.dataset.group);
told();
if (opened.value !== came) list.dispatchEvent(new Event("tesoura-opened"));
