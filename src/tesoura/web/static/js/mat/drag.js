// Dragging on the mat: pieces, their corners, guides out of the rulers, and a frame that chooses what it touches.
import { around, boxOf, draw, drawMarks } from "./marks.js";

const NEAR_PX = 7;

export function bindDragging(desk, { choose, edit, setGuides }) {
  const { cloth, mat } = desk;
  const snaps = document.getElementById("marks-snap");
  let drag = null;

  const at = (event) => {
    const outer = desk.stage.getBoundingClientRect();
    return { x: (event.clientX - outer.left) / desk.scale, y: (event.clientY - outer.top) / desk.scale };
  };

  cloth.addEventListener("pointerdown", (event) => {
    if (event.button) return;
    const corner = event.target.closest("[data-corner]");
    const piece = event.target.closest(".piece");
    if (corner) begin(event, resizing(corner.dataset.corner, at(event)));
    else if (piece) press(event, piece.dataset.piece);
    else begin(event, framing(at(event), event.shiftKey));
  });

  function press(event, id) {
    if (event.shiftKey) { choose([id], { toggle: true }); return; }
    if (!desk.chosen.includes(id)) choose([id], { single: event.altKey });
    desk.node(id)?.focus({ preventScroll: true });
    if (desk.chosen.some((one) => desk.boxes[one]?.pinned)) { event.preventDefault(); return; }
    begin(event, moving(at(event)));
  }

  function begin(event, started) {
    event.preventDefault();
    drag = started;
    cloth.setPointerCapture(event.pointerId);
  }

  cloth.addEventListener("pointermove", (event) => { if (drag) { drag.move(at(event), event); drawMarks(desk); } });
  for (const name of ["pointerup", "pointercancel"]) cloth.addEventListener(name, (event) => {
    if (!drag) return;
    const ended = drag;
    drag = null;
    snaps.replaceChildren();
    ended.end(at(event));
    desk.moving = false;
    drawMarks(desk);
  });

  // Lines to snap to: other pieces, guides, the overlay and its safe area.

  function lines(axis) {
    const [side, length] = axis === "x" ? ["width", desk.width] : ["height", desk.height];
    const found = [0, length / 2, length];
    if (desk.safe === "yes" && Math.min(desk.width, desk.height) >= 720) found.push(length * 0.05, length * 0.95);
    for (const [way, place] of desk.guides) if (way === axis) found.push(place);
    for (const id of Object.keys(desk.boxes)) {
      if (desk.chosen.includes(id)) continue;
      const box = boxOf(desk, id);
      if (box) found.push(box[axis], box[axis] + box[side] / 2, box[axis] + box[side]);
    }
    return found;
  }

  function snapped(spots, axis, event) {
    if (event.ctrlKey || event.metaKey) return 0;
    const near = NEAR_PX / desk.scale;
    let best = null;
    for (const line of drag.lines[axis]) for (const spot of spots) {
      const by = line - spot;
      if (Math.abs(by) <= near && (!best || Math.abs(by) < Math.abs(best.by))) best = { by, line };
    }
    if (best) draw(snaps, "line", axis === "x" ? { class: "snap", x1: best.line, x2: best.line, y1: 0, y2: desk.height } : { class: "snap", y1: best.line, y2: best.line, x1: 0, x2: desk.width });
    return best?.by ?? 0;
  }

  function moving(start) {
    const pieces = desk.chosen.map((id) => [id, desk.boxes[id], desk.node(id)]).filter(([, box, node]) => box && node);
    const whole = around(pieces.map(([id]) => boxOf(desk, id)));
    let [dx, dy] = [0, 0];
    return {
      lines: { x: lines("x"), y: lines("y") },
      move(now, event) {
        desk.moving = true;
        snaps.replaceChildren();
        [dx, dy] = [now.x - start.x, now.y - start.y];
        dx += snapped([whole.x + dx, whole.x + dx + whole.width / 2, whole.x + dx + whole.width], "x", event);
        dy += snapped([whole.y + dy, whole.y + dy + whole.height / 2, whole.y + dy + whole.height], "y", event);
        [dx, dy] = [Math.round(dx), Math.round(dy)];
        for (const [, box, node] of pieces) { node.style.left = `${box.held[0] + dx}px`; node.style.top = `${box.held[1] + dy}px`; }
        if (pieces.length === 1) fields({ x: pieces[0][1].held[0] + dx, y: pieces[0][1].held[1] + dy });
      },
      end() {
        if (!dx && !dy) return;
        const places = Object.fromEntries(pieces.map(([id, box]) => [id, { x: box.held[0] + dx, y: box.held[1] + dy }]));
        edit({ do: "place", places, scene: desk.scene });
      },
    };
  }

  const fields = (values) => { for (const [name, value] of Object.entries(values)) { const input = document.getElementById(`c-${name}`); if (input) input.value = value; } };

  // A text is made larger by its font size; anything else by its box. Shift keeps the proportions.
  function resizing(corner, start) {
    const pieces = desk.chosen.map((id) => [id, desk.boxes[id], desk.node(id), boxOf(desk, id)]).filter(([, box, node]) => box && node && !box.pinned);
    if (!pieces.length) return { lines: { x: [], y: [] }, move() {}, end() {} };
    const whole = around(pieces.map((one) => one[3]));
    const [left, top] = [corner.endsWith("left"), corner.startsWith("top")];
    const anchor = { x: left ? whole.x + whole.width : whole.x, y: top ? whole.y + whole.height : whole.y };
    let places = {};
    return {
      lines: { x: lines("x"), y: lines("y") },
      move(now, event) {
        desk.moving = true;
        snaps.replaceChildren();
        const across = now.x + snapped([now.x], "x", event);
        const down = now.y + snapped([now.y], "y", event);
        let sx = Math.max(left ? anchor.x - across : across - anchor.x, 8) / whole.width;
        let sy = Math.max(top ? anchor.y - down : down - anchor.y, 8) / whole.height;
        const whole_ = event.shiftKey || pieces.length > 1 || pieces.some(([, box]) => box.sized === "text" && !box.size[0]);
        if (whole_) sx = sy = Math.max(sx, sy);
        places = {};
        for (const [id, box, node, real] of pieces) places[id] = scaled(box, real, node, sx, sy);
        if (pieces.length === 1) fields(places[pieces[0][0]]);
      },
      end() { if (Object.keys(places).length) edit({ do: "place", places, scene: desk.scene }); },
    };

    function scaled(box, real, node, sx, sy) {
      const x = anchor.x + (real.x - anchor.x) * sx;
      const y = anchor.y + (real.y - anchor.y) * sy;
      const held = real.width ? (box.held[0] - real.x) / real.width : 0;
      const place = { x: Math.round(x + held * real.width * sx), y: Math.round(y) };
      if (box.sized === "text" && !box.size[0]) {
        place.size_px = Math.min(Math.max(Math.round(box.size[2] * sx), 8), 1000);
        node.style.setProperty("--size", `${place.size_px}px`);
      } else {
        [place.width_px, place.height_px] = [Math.max(Math.round(real.width * sx), 1), Math.max(Math.round(real.height * sy), 1)];
        if (box.sized === "text" && !box.size[1]) delete place.height_px;
        node.style.width = `${place.width_px}px`;
        if (place.height_px) node.style.height = `${place.height_px}px`;
      }
      node.style.left = `${place.x}px`;
      node.style.top = `${place.y}px`;
      return place;
    }
  }

  function framing(start, adding) {
    const box = (now) => ({ x: Math.min(start.x, now.x), y: Math.min(start.y, now.y), width: Math.abs(now.x - start.x), height: Math.abs(now.y - start.y) });
    return {
      lines: { x: [], y: [] },
      move(now) { snaps.replaceChildren(); draw(snaps, "rect", { class: "frame-choose", ...box(now) }); },
      end(now) {
        const frame = box(now);
        const touched = Object.keys(desk.boxes).filter((id) => {
          const one = boxOf(desk, id);
          return one && one.x < frame.x + frame.width && one.x + one.width > frame.x && one.y < frame.y + frame.height && one.y + one.height > frame.y;
        });
        const dragged = frame.width > 4 || frame.height > 4;
        choose(dragged ? [...(adding ? desk.chosen : []), ...touched] : [], { single: true });
      },
    };
  }

  // A guide is dragged out of a ruler.
  for (const [name, axis] of [[".ruler-top", "y"], [".ruler-left", "x"]]) {
    const ruler = mat.querySelector(name);
    ruler.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      ruler.setPointerCapture(event.pointerId);
      const place = (one) => Math.round(at(one)[axis]);
      const move = (one) => { snaps.replaceChildren(); const spot = place(one); draw(snaps, "line", axis === "x" ? { class: "guide", x1: spot, x2: spot, y1: 0, y2: desk.height } : { class: "guide", y1: spot, y2: spot, x1: 0, x2: desk.width }); };
      ruler.addEventListener("pointermove", move);
      ruler.addEventListener("pointerup", (one) => {
        ruler.removeEventListener("pointermove", move);
        snaps.replaceChildren();
        const spot = place(one);
        if (spot > 0 && spot < (axis === "x" ? desk.width : desk.height)) setGuides([...desk.guides, [axis, spot]]);
      }, { once: true });
    });
  }
}
