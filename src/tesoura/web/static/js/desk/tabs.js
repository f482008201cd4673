// On a phone the desk's four parts are tabs at the bottom; what needs somebody is counted on its own.
const [desk, tabs] = [document.querySelector(".desk"), [...document.querySelectorAll("[data-tab]")]];
const KEPT = "tesoura desk tab";
function show(name) {
  desk.dataset.shown = name;
  for (const tab of tabs) tab.setAttribute("aria-pressed", String(tab.dataset.tab === name));
  sessionStorage.setItem(KEPT, name);
}
for (const tab of tabs) tab.addEventListener("click", () => { show(tab.dataset.tab); scrollTo(0, 0); });
show(sessionStorage.getItem(KEPT) ?? "press");

function count() {
  const number = document.querySelectorAll("#desk-needs .needs li").length;
  const tab = tabs.find((one) => one.dataset.tab === "needs");
  tab.textContent = number ? `Attention: ${number}` : "Attention";
  tab.classList.toggle("is-needed", number > 0);
}
document.body.addEventListener("htmx:afterSettle", count);
count();
