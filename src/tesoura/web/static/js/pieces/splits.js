// A run's splits: rows around the one in hand, or a mark for each. Words come from Tesoura; here they are laid.
const SHAPES = { clean: "M3 9l4 4 8-9", hit: "M4 4l10 10M14 4 4 14", now: "M5 3l9 6-9 6Z", "not yet": "M9 5a4 4 0 1 0 .01 0Z" };
const MARKS = { c: "clean", h: "hit", n: "now", "-": "not yet" };
const SVG = "http://www.w3.org/2000/svg";

function shape(mark) {
  const svg = document.createElementNS(SVG, "svg");
  svg.setAttribute("viewBox", "0 0 18 18");
  svg.setAttribute("class", "t-splits-mark");
  svg.setAttribute("role", "img");
  svg.setAttribute("aria-label", mark);
  const path = document.createElementNS(SVG, "path");
  path.setAttribute("d", SHAPES[mark]);
  svg.append(path);
  return svg;
}

const classOf = (mark) => `is-${mark.replace(" ", "-")}`;

function row([mark, ...words]) {
  const line = document.createElement("li");
  line.className = classOf(mark);
  line.append(shape(mark), ...["name", "hits", "best", "more"].map((kind, at) => {
    const cell = document.createElement("span");
    cell.className = `t-splits-${kind}`;
    cell.dir = "auto";
    cell.textContent = words[at];
    return cell;
  }));
  return line;
}

const DRAWS = {
  picture(node, text) {
    node.hidden = !text;
    if (text && !node.src.endsWith(`/media/${text}`)) node.src = `/media/${text}`;
  },
  clean(node, text) { node.dataset.clean = text; },
  // Only what is another is drawn: of a press, two rows at most, unless the window moves.
  rows(node, text) {
    let told;
    try { told = JSON.parse(text || '{"at":0,"rows":[]}'); } catch { return; }
    const [before, after] = [Number(node.dataset.before), Number(node.dataset.after)];
    // At the ends the window stays as high as it is, as long as there are rows.
    const first = Math.max(Math.min(told.at - before, told.rows.length - before - after - 1), 0);
    const rows = told.rows.slice(first, first + before + after + 1);
    const had = node.drawnRows ?? [];
    rows.forEach((one, at) => {
      const said = JSON.stringify(one);
      if (had[at] === said) return;
      if (node.children[at]) node.children[at].replaceWith(row(one)); else node.append(row(one));
      had[at] = said;
    });
    while (node.children.length > rows.length) node.lastChild.remove();
    had.length = rows.length;
    node.drawnRows = had;
  },
  track(node, text) {
    const had = node.drawnTrack ?? "";
    [...text].forEach((letter, at) => {
      if (had[at] === letter) return;
      const mark = shape(MARKS[letter] ?? "not yet");
      const holder = document.createElementNS(SVG, "svg");
      holder.setAttribute("class", classOf(MARKS[letter] ?? "not yet"));
      holder.append(mark);
      mark.setAttribute("width", "100%"); mark.setAttribute("height", "100%");
      if (node.children[at]) node.children[at].replaceWith(holder); else node.append(holder);
    });
    while (node.children.length > text.length) node.lastChild.remove();
    node.drawnTrack = text;
  },
};

export function draw(node, text) { DRAWS[node.dataset.draws](node, text); }

export function ready(node) {
  if (node.dataset.draws === "rows") DRAWS.rows(node, node.dataset.rows);
  if (node.dataset.draws === "track") DRAWS.track(node, node.dataset.track);
}
