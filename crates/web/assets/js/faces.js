// Areas over the picture: outline, grid and keep-outs on its canvas, at rest and while it plays; handles in SVG.
import { applied, mapBetween } from "./face.js";
import { make } from "./svg.js";

const CELLS = 6; // Of the grid, across and down.
const GRIP = 9;
const REACH = 24; // Sides of what can be grabbed, in CSS pixels.
const HATCH = 9; // Between two lines of a keep-out, in CSS pixels.

export class Faces {
  // `facesOn` gives what is to be painted on a frame.
  constructor(svg, player) {
    Object.assign(this, { player, facesOn: () => [] });
    this.handles = make("g", {}, svg);
  }

  paint(context) {
    const { player } = this;
    const faces = this.facesOn(player.shown);
    if (!faces.length) return;
    const ratio = player.box.ratio;
    context.save();
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.lineJoin = "round";
    for (const face of faces) this.face(context, face);
    context.restore();
  }

  face(context, { line, box, quad, net, isPicked, keepOuts }) {
    const map = mapBetween(box, quad);
    if (net && isPicked) this.net(context, net);
    else if (map && isPicked) this.grid(context, box, map);
    this.stroke(context, this.closed(line), isPicked ? 2 : 1.2, []);
    for (const keepOut of keepOuts) this.keepOut(context, keepOut.line);
  }

  grid(context, [{ x: left, y: top }, , { x: right, y: bottom }], map) {
    const path = new Path2D();
    const segment = (from, to) => {
      const [a, b] = [from, to].map((at) => this.stage(applied(map, at)));
      path.moveTo(a.x, a.y);
      path.lineTo(b.x, b.y);
    };
    for (let i = 0; i <= CELLS; i++) {
      const [x, y] = [left + ((right - left) * i) / CELLS, top + ((bottom - top) * i) / CELLS];
      segment({ x, y: top }, { x, y: bottom });
      segment({ x: left, y }, { x: right, y });
    }
    context.globalAlpha = 0.6;
    this.stroke(context, path, 0.7, []);
    context.globalAlpha = 1;
  }

  net(context, { knots, triangles }) {
    const path = new Path2D();
    const at = knots.map((knot) => this.stage(knot));
    const drawn = new Set();
    for (const corners of triangles) {
      corners.forEach((one, i) => {
        const other = corners[(i + 1) % 3];
        const side = Math.min(one, other) * knots.length + Math.max(one, other);
        if (drawn.has(side)) return;
        drawn.add(side);
        path.moveTo(at[one].x, at[one].y);
        path.lineTo(at[other].x, at[other].y);
      });
    }
    context.globalAlpha = 0.5;
    this.stroke(context, path, 0.7, []);
    context.globalAlpha = 1;
  }

  keepOut(context, line) {
    const path = this.closed(line);
    context.save();
    context.clip(path);
    const hatch = new Path2D();
    const points = line.map((point) => this.stage(point));
    const [xs, ys] = [points.map(({ x }) => x), points.map(({ y }) => y)];
    const [top, bottom] = [Math.min(...ys), Math.max(...ys)];
    for (let x = Math.min(...xs) - (bottom - top); x < Math.max(...xs); x += HATCH) {
      hatch.moveTo(x, bottom);
      hatch.lineTo(x + bottom - top, top);
    }
    this.stroke(context, hatch, 1, []);
    context.restore();
    this.stroke(context, path, 1.6, [6, 4]);
  }

  // Light on dark, so that it reads on any ground.
  stroke(context, path, width, dashes) {
    context.setLineDash([]);
    context.strokeStyle = "rgba(0, 0, 0, 0.55)";
    context.lineWidth = width + 2;
    context.stroke(path);
    context.setLineDash(dashes);
    context.strokeStyle = "#fff";
    context.lineWidth = width;
    context.stroke(path);
  }

  closed(line) {
    const path = new Path2D();
    for (const at of line.map((point) => this.stage(point))) path.lineTo(at.x, at.y);
    path.closePath();
    return path;
  }

  stage({ x, y }) {
    return this.player.toStage(x, y);
  }

  paintHandles(isPlaying) {
    this.handles.replaceChildren();
    const picked = isPlaying ? null : this.facesOn(this.player.frame).find((face) => face.isPicked);
    if (!picked) return;
    for (const keepOut of picked.keepOuts) {
      const points = keepOut.points.map((point) => this.stage(point)).map(({ x, y }) => `${x},${y}`);
      const grab = { class: "grab", points: points.join(" "), "data-grab": "keep-out", "data-keep-out": keepOut.id };
      make("polygon", grab, this.handles);
    }
    for (const { pin, i } of picked.corners)
      this.handle(picked.quad[i], { "data-grab": "corner", "data-pin": pin, "data-index": i });
    if (!picked.points) return;
    picked.points.forEach((point, i) => {
      const next = picked.points[(i + 1) % picked.points.length];
      const middle = { x: (point.x + next.x) / 2, y: (point.y + next.y) / 2 };
      this.handle(middle, { "data-grab": "edge", "data-index": i }, "plus");
    });
    picked.points.forEach((point, i) => this.handle(point, { "data-grab": "outline", "data-index": i }));
  }

  // A square, or a small plus where there could be one.
  handle(place, data, shape = "square") {
    const { x, y } = this.stage(place);
    if (shape === "plus") {
      const d = `M${x - 4} ${y}h8M${x} ${y - 4}v8`;
      make("path", { class: "dark", d, "stroke-width": 4 }, this.handles);
      make("path", { class: "light", d, "stroke-width": 1.6 }, this.handles);
    } else {
      make("rect", { class: "grip", x: x - GRIP / 2, y: y - GRIP / 2, width: GRIP, height: GRIP }, this.handles);
    }
    const box = { x: x - REACH / 2, y: y - REACH / 2, width: REACH, height: REACH };
    make("rect", { class: "grab", ...box, ...data }, this.handles);
  }
}
