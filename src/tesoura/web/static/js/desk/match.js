// A match looked at point by point: the slider steps through its acts.
const look = document.querySelector("[data-look]");
const rows = [...document.querySelectorAll("[data-match-acts] tr[data-place]")].reverse();
const spot = document.querySelector(".course-spot");

function step() {
  const at = Number(look.querySelector("input").value);
  const row = rows[at - 1];
  for (const one of rows) one.classList.toggle("is-looked-at", one === row);
  look.querySelector("output").textContent = `${row.children[2].textContent} · ${row.children[3].textContent} · ${row.querySelector(".act-words").textContent}`;
  row.scrollIntoView({ block: "nearest" });
  if (spot) {
    const line = document.querySelector(".course-line");
    const place = line.getPointAtLength((line.getTotalLength() * at) / rows.length);
    spot.setAttribute("cx", place.x);
    spot.setAttribute("cy", place.y);
  }
}
look?.addEventListener("input", step);
