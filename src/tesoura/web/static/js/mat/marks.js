// Rulers, and the marks around what is chosen: ink brackets, measures, the reserve for growth, what does not fit.
const SVG = "http://www.w3.org/2000/svg";

export function draw(parent, name, attributes, text) {
  const node = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) node.setAttribute(key, value);
  if (text !== undefined) node.textContent = text;
  parent.append(node);
  return node;
}

export function drawRulers(desk) {
  ruler(desk.mat.querySelector(".ruler-top"), desk.width, desk.scale, true);
  ruler(desk.mat.querySelector(".ruler-left"), desk.height, desk.scale, false);
}

function ruler(node, length, scale, across) {
  node.replaceChildren();
  const step = [5, 10, 20, 50, 100].find((one) => one * scale >= 5.5) ?? 200;
  for (let at = 0; at <= length; at += step) {
    const long = at % (step * 10) === 0;
    const depth = long ? 12 : at % (step * 5) === 0 ? 8 : 4;
    const spot = Math.round(at * scale) + 0.5;
    draw(node, "line", across ? { x1: spot, x2: spot, y1: 22 - depth, y2: 22 } : { y1: spot, y2: spot, x1: 22 - depth, x2: 22 });
    if (long && at < length) {
      if (across) draw(node, "text", { x: spot + 3, y: 10 }, at);
      else draw(node, "text", { transform: `translate(9 ${spot + 3}) rotate(90)` }, at);
    }
  }
}

// Where a piece lies on the page, which while it is dragged is ahead of what Tesoura knows.
export function boxOf(desk, id) {
  const piece = desk.node(id);
  if (!piece) return null;
  const [outer, inner] = [desk.stage.getBoundingClientRect(), piece.getBoundingClientRect()];
  return { x: (inner.left - outer.left) / desk.scale, y: (inner.top - outer.top) / desk.scale, width: inner.width / desk.scale, height: inner.height / desk.scale };
}

export function around(boxes) {
  const x = Math.min(...boxes.map((one) => one.x));
  const y = Math.min(...boxes.map((one) => one.y));
  return { x, y, width: Math.max(...boxes.map((one) => one.x + one.width)) - x, height: Math.max(...boxes.map((one) => one.y + one.height)) - y };
}

export function drawMarks(desk) {
  const marks = desk.mat.querySelector(".marks");
  marks.setAttribute("viewBox", `0 0 ${desk.width} ${desk.height}`);
  const safe = document.getElementById("safe-line");
  const minded = desk.safe === "yes" && Math.min(desk.width, desk.height) >= 720;
  for (const [name, value] of Object.entries({ x: desk.width * 0.05, y: desk.height * 0.05, width: desk.width * 0.9, height: desk.height * 0.9, visibility: minded ? "visible" : "hidden" })) safe.setAttribute(name, value);
  const groups = Object.fromEntries(["guides", "bad", "chosen"].map((name) => [name, document.getElementById(`marks-${name}`)]));
  for (const group of Object.values(groups)) group.replaceChildren();
  for (const [axis, at] of desk.guides) draw(groups.guides, "line", axis === "x" ? { class: "guide", x1: at, x2: at, y1: 0, y2: desk.height } : { class: "guide", y1: at, y2: at, x1: 0, x2: desk.width });
  if (!desk.moving) for (const one of desk.marked) {
    const [x, y, width, height] = one.box;
    draw(groups.bad, "rect", { class: `unfit${desk.chosen.length === 1 && desk.chosen[0] === one.piece ? " told" : ""}`, x, y, width, height });
  }
  const boxes = desk.chosen.map((id) => [id, boxOf(desk, id)]).filter(([, box]) => box);
  for (const [id, box] of boxes) {
    const reserve = drawReserve(desk, groups.chosen, id, box);
    brackets(groups.chosen, box, desk.scale, boxes.length > 1);
    if (boxes.length === 1) measures(desk, groups.chosen, box, reserve, desk.boxes[id]?.pinned);
  }
  if (boxes.length > 1) measures(desk, groups.chosen, around(boxes.map(([, box]) => box)), { reserve: 0, beyond: 0 }, false);
}

function drawReserve(desk, parent, id, box) {
  const [left, right] = desk.shownWith === "live" ? desk.boxes[id]?.reserve ?? [0, 0] : [0, 0];
  let beyond = Math.max(-box.x, box.x + box.width - desk.width, -box.y, box.y + box.height - desk.height, 0);
  for (const [x, width] of [[box.x - left, left], [box.x + box.width, right]]) {
    if (width < 0.5) continue;
    const over = Math.max(-x, x + width - desk.width, 0);
    beyond = Math.max(beyond, over);
    draw(parent, "rect", { class: "reserve-under", x, y: box.y, width, height: box.height });
    draw(parent, "rect", { class: `reserve${over > 0 ? " bad" : ""}`, x, y: box.y, width, height: box.height });
  }
  return { reserve: left + right, beyond };
}

function brackets(parent, at, scale, small) {
  const gap = 5 / scale;
  const arm = Math.min((small ? 10 : 16) / scale, at.width / 2 + gap);
  const [l, t, r, b] = [at.x - gap, at.y - gap, at.x + at.width + gap, at.y + at.height + gap];
  const path = `M${l} ${t + arm}V${t}H${l + arm}M${r - arm} ${t}H${r}V${t + arm}M${r} ${b - arm}V${b}H${r - arm}M${l + arm} ${b}H${l}V${b - arm}`;
  draw(parent, "path", { class: "bracket-under", d: path });
  draw(parent, "path", { class: "bracket", d: path });
  for (const [x, y, way] of [[l, t, "nwse"], [r, t, "nesw"], [r, b, "nwse"], [l, b, "nesw"]]) {
    draw(parent, "rect", { class: "corner", x: x - 9 / scale, y: y - 9 / scale, width: 18 / scale, height: 18 / scale, "data-corner": `${y === t ? "top" : "bottom"}-${x === l ? "left" : "right"}`, style: `cursor:${way}-resize` });
  }
}

function measures(desk, parent, at, { reserve, beyond }, pinned) {
  const size = 12 / desk.scale;
  let words = `${Math.round(at.width)} × ${Math.round(at.height)} px at ${Math.round(at.x)}, ${Math.round(at.y)}`;
  if (reserve > 0.5) words += `, room for ${Math.round(reserve)} px more`;
  if (beyond > 0.5) words += `; ${Math.round(beyond)} px don't fit`;
  if (pinned) words += "; pinned";
  const width = words.length * size * 0.605 + size;
  const above = at.y > size * 2.6;
  const x = Math.min(Math.max(at.x - 5 / desk.scale, 2), Math.max(desk.width - width, 2));
  const y = Math.min(above ? at.y - size * 2 : at.y + at.height + size * 0.9, desk.height - size * 1.6);
  draw(parent, "rect", { class: "measure-under", x, y, width, height: size * 1.5, rx: 2 / desk.scale });
  draw(parent, "text", { class: `measure${beyond > 0.5 ? " bad" : ""}`, x: x + size / 2, y: y + size * 1.1, "font-size": size }, words);
}
