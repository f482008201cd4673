// The page of devices: the seconds that a code is still good for.
let end = 0;
function read() {
  const left = document.querySelector("[data-left]");
  end = left ? performance.now() + Number(left.dataset.left) * 1000 : 0;
}
document.body.addEventListener("htmx:afterSettle", read);
read();
setInterval(() => {
  const left = document.querySelector("[data-left]");
  if (!left || !end) return;
  const seconds = Math.max(Math.ceil((end - performance.now()) / 1000), 0);
  if (left.textContent !== String(seconds)) left.textContent = seconds;
  if (!seconds) { end = 0; document.body.dispatchEvent(new CustomEvent("tesoura:devices")); }
}, 250);
