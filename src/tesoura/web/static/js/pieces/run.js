// Words that may be too long for their place: they shrink to a floor, then travel, or end in ….
const words = (node) => node.firstElementChild;

const watched = new ResizeObserver((all) => { for (const { target } of all) if (target.isConnected) fit(target); });
// A typeface may come only with the first words that are set in it: then they are measured again.
document.fonts?.addEventListener("loadingdone", () => { for (const node of document.querySelectorAll(".t-run")) fit(node); });
document.fonts?.ready.then(() => { for (const node of document.querySelectorAll(".t-run")) fit(node); });

export function draw(node, text) {
  node.says = text;
  watched.observe(node);
  // Measured before the next frame is painted, once for all that changes with it.
  node.measures ??= requestAnimationFrame(() => { node.measures = undefined; fit(node); });
}

// How wide the words would be, measured beside them: they themselves may be on their way from one to the next.
function width(node) {
  const probe = words(node).cloneNode();
  probe.removeAttribute("data-say");
  probe.className = "t-run-words t-run-probe";
  probe.style.fontSize = "";
  probe.textContent = node.says;
  node.append(probe);
  const wide = probe.getBoundingClientRect().width / (node.getBoundingClientRect().width / node.offsetWidth || 1);
  probe.remove();
  return wide;
}

function fit(node) {
  const [inner, room] = [words(node), node.clientWidth];
  node.says ??= inner.textContent;
  const wide = room ? width(node) : 0;
  const key = `${node.says}|${room}|${Math.round(wide)}`;
  if (!room || node.fitted === key) return;
  node.fitted = key;
  node.travels?.cancel();
  node.travels = null;
  const floor = Number(node.dataset.floor) / 100;
  const scale = Math.min(1, Math.max(room / wide, floor));
  inner.style.fontSize = scale < 1 ? `${scale}em` : "";
  const over = Math.ceil(wide * scale - room);
  const travels = over > 1 && node.dataset.travel !== "no";
  node.classList.toggle("is-cut", over > 1 && !travels);
  node.classList.toggle("is-travelling", travels);
  if (travels) travel(node, inner, over);
}

function travel(node, inner, over) {
  const [speed, pause] = [Number(node.dataset.speed), Number(node.dataset.pause) * 1000];
  const there = (over / speed) * 1000;
  const whole = there + 2 * pause + 600;
  const away = `translateX(${getComputedStyle(inner).direction === "rtl" ? over : -over}px)`;
  const frames = [
    { transform: "none" }, { transform: "none", offset: pause / whole }, { transform: away, offset: (pause + there) / whole },
    { transform: away, offset: (2 * pause + there) / whole }, { transform: "none" }];
  node.travels = inner.animate(frames, { duration: whole, iterations: node.dataset.travel === "once" ? 1 : Infinity });
  node.travels.finished.then(() => {
    node.classList.remove("is-travelling");
    node.classList.add("is-cut");
  }).catch(() => {});
}

// Before the first word from Tesoura, a page shows what it was drawn with.
export function ready(node) { draw(node, words(node).textContent); }
