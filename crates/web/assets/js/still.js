// The surface of an area, held still: the frame in view with all that hangs on it, as it lay when the area was drawn.
// What is laid on it is dragged there, and painted by hand.
import { applied, boxOf, polygon } from "./face.js";
import { throughNet } from "./nets.js";
import { bringIn } from "./pictures.js";
import { Painter, blank } from "./painter.js";
import { isPresent } from "./track.js";
import { paintBent } from "./warp.js";

const ROOM = 0.06; // Round the outline, as a share of its larger side.
const MOST = 900; // Pixels across of the film's picture that is looked up.
const MOST_PLAYING = 300;
const SHARE = 0.3; // Of the time while it plays, at most.
const CELLS = 10; // Across and down, of a flat face.

export const stilling = (parts) => ({
  brushing: false,
  brush: { colour: "#f4c542", width: 6 },
  strokes: [], // Of the brush, not kept yet, in pixels of the frame on which the area was drawn.
  painted: null, // The area that they are on, and whose it is.
  stillDrag: null,
  stillAgain: 0, // When it may be drawn again while it plays.

  get bends() {
    return Boolean(this.area?.bends);
  },
  // What the canvas shows of the frame on which the area was drawn.
  stillBox(area = this.area) {
    const [from, , to] = boxOf(polygon(area.drawn.outline));
    const room = ROOM * Math.max(to.x - from.x, to.y - from.y);
    return { x: from.x - room, y: from.y - room, width: to.x - from.x + 2 * room, height: to.y - from.y + 2 * room };
  },
  drawStill() {
    const canvas = document.getElementById("held-still");
    if (!canvas || !this.area || !canvas.clientWidth) return;
    const begun = performance.now();
    if (this.playing && begun < this.stillAgain) return;
    canvas.classList.toggle("away", !isPresent(this.track?.get(parts.player.shown)?.state));
    this.paintStill(canvas);
    this.stillAgain = begun + (performance.now() - begun) / SHARE;
  },
  paintStill(canvas) {
    const box = this.stillBox();
    const scale = (canvas.clientWidth * (this.playing ? 0.7 : devicePixelRatio)) / box.width;
    [canvas.width, canvas.height] = [Math.round(box.width * scale), Math.round(box.height * scale)];
    const context = canvas.getContext("2d");
    const surface = this.stillSurface(box);
    const shown = parts.player.pictures.get(parts.player.shown);
    if (surface && shown) {
      const source = this.stillSource(surface.now, shown);
      const seen = surface.home.map(({ x, y }) => ({ x: (x - box.x) * scale, y: (y - box.y) * scale }));
      paintBent(context, source, { own: source.own, seen, triangles: surface.triangles }, blank, false);
    }
    context.setTransform(scale, 0, 0, scale, -box.x * scale, -box.y * scale);
    if (this.painted?.area.id === this.area.id) paintStrokes(context, this.strokes);
  },
  // Its knots where it was drawn and in the frame in view, and the triangles between them. A flat face is cut into cells.
  stillSurface(box) {
    const [home, frame] = [this.area.drawn.frame, parts.player.shown];
    if (this.bends) {
      const [drawn, now] = [parts.nets.on(this.area.id, home), parts.nets.on(this.area.id, frame)];
      return drawn && now && { home: drawn.knots, now: now.knots, triangles: now.triangles };
    }
    const map = this.mapOfArea(this.area, home, frame);
    const cells = cellsOf(box);
    return map && { home: cells.knots, now: cells.knots.map((at) => applied(map, at)), triangles: cells.triangles };
  },
  // The part of the film's picture in which the surface is, with what hangs in it.
  stillSource(knots, shown) {
    const [from, , to] = boxOf(knots);
    const { size } = parts.player;
    const most = this.playing ? MOST_PLAYING : MOST;
    const scale = Math.min(most / (to.x - from.x), Math.max(1, shown.width / size.width));
    const canvas = new OffscreenCanvas(
      Math.max(1, Math.ceil((to.x - from.x) * scale)),
      Math.max(1, Math.ceil((to.y - from.y) * scale)),
    );
    const context = canvas.getContext("2d", { willReadFrequently: true });
    const view = { scale, turn: 0, x: -from.x * scale, y: -from.y * scale };
    context.setTransform(scale, 0, 0, scale, view.x, view.y);
    context.drawImage(shown, 0, 0, size.width, size.height);
    const { pictures, playing } = parts.player;
    const player = { pictures, playing, shown: parts.player.shown, size, view, box: { ratio: 1 } };
    new Painter(parts.overlay.scene, player).paint(context);
    const own = knots.map(({ x, y }) => ({ x: (x - from.x) * scale, y: (y - from.y) * scale }));
    return { canvas, context, texels: null, own };
  },
  stillPlace({ offsetX, offsetY, target }) {
    const box = this.stillBox();
    const scale = box.width / target.clientWidth;
    return { x: box.x + offsetX * scale, y: box.y + offsetY * scale };
  },

  // --- dragged ------------------------------------------------------------------------------------------------------

  stillDown(event) {
    event.target.setPointerCapture(event.pointerId);
    const at = this.stillPlace(event);
    if (this.brushing) this.beginStroke(at);
    else if (this.openId && this.isLying) this.stillDrag = { of: this.openId, from: at };
    this.drawStill();
  },
  stillMove(event) {
    if (!event.buttons) return;
    const at = this.stillPlace(event);
    if (this.brushing) {
      this.strokes.at(-1)?.points.push(at);
      parts.player.redraw();
    } else if (this.stillDrag) {
      const { of, from } = this.stillDrag;
      parts.overlay.scene.shift = { of, x: at.x - from.x, y: at.y - from.y };
      this.repaint();
    }
    this.drawStill();
  },
  async stillUp(event) {
    const drag = this.stillDrag;
    this.stillDrag = null;
    if (!drag) return;
    const to = this.stillPlace(event);
    const frame = this.area.drawn.frame;
    const said = await this.send("POST", `/attachments/${drag.of}/move`, { frame, from: drag.from, to });
    if (!said) parts.overlay.scene.shift = null;
  },

  // --- the brush ----------------------------------------------------------------------------------------------------

  // Takes the brush, or puts it away: what was painted is kept then.
  takeBrush() {
    if (this.brushing || this.strokes.length) this.putBrushAway();
    else this.brushing = true;
    this.repaint();
  },
  beginStroke(at) {
    if (!this.strokes.length) this.painted = { subject: this.subject.id, area: this.area };
    this.strokes.push({ ...this.brush, points: [at] });
    parts.player.redraw();
  },
  undoStroke() {
    this.strokes = this.strokes.slice(0, -1);
    this.repaint();
  },
  // Strokes that are not kept yet, where they lie in the film.
  paintFresh(context) {
    if (!this.strokes.length) return;
    const { shown, view } = parts.player;
    const lay = this.layingOn(this.painted.area, shown);
    if (!lay) return;
    context.save();
    context.scale(view.scale, view.scale);
    paintStrokes(
      context,
      this.strokes.map((stroke) => ({ ...stroke, points: stroke.points.map(lay) })),
    );
    context.restore();
  },
  // How a place goes from the frame on which an area was drawn to another; null where that is not known.
  layingOn(area, frame) {
    if (!area.bends) {
      const map = this.mapOfArea(area, area.drawn.frame, frame);
      return map && ((at) => applied(map, at));
    }
    const [drawn, now] = [parts.nets.on(area.id, area.drawn.frame), parts.nets.on(area.id, frame)];
    return drawn && now && ((at) => throughNet({ ...now, from: drawn.knots, to: now.knots }, at));
  },
  // Is done when what was painted is kept, or could not be.
  putBrushAway() {
    this.brushing = false;
    if (this.strokes.length) parts.keeping ??= this.keepStrokes().finally(() => (parts.keeping = null));
    return parts.keeping;
  },
  async keepStrokes() {
    try {
      const { subject } = this.painted;
      const hung = await this.hangStrokes();
      if (!hung) return;
      this.strokes = [];
      if (this.selected === subject) this.openId = hung;
      this.repaint();
    } catch (error) {
      this.say(error.message, true);
    }
  },
  // Strokes become a picture of the project, which fills the box in which they were painted.
  async hangStrokes() {
    const { strokes, frame } = this;
    const { subject, area } = this.painted;
    const box = this.stillBox(area);
    const file = new File([svgOf(strokes, box)], "Painted by hand.svg", { type: "image/svg+xml" });
    const picture = await bringIn(this.project, file);
    const hung = await this.send("POST", `/subjects/${subject}/pictures`, { frame, picture: picture.id });
    if (!hung) return null;
    const { x, y, width, height } = box;
    const corners = [
      { x, y },
      { x: x + width, y },
      { x: x + width, y: y + height },
      { x, y: y + height },
    ];
    const request = { frame: area.drawn.frame, corners, fills: true };
    await this.send("POST", `/attachments/${hung.attachment}/lay`, request);
    return hung.attachment;
  },
});

function cellsOf({ x, y, width, height }) {
  const across = Array.from({ length: CELLS + 1 }, (_, i) => i);
  const knots = across.flatMap((row) =>
    across.map((col) => ({ x: x + (width * col) / CELLS, y: y + (height * row) / CELLS })),
  );
  const corners = across.slice(1).flatMap((row) => across.slice(1).map((col) => row * (CELLS + 1) + col));
  const triangles = corners.flatMap((corner) => {
    const [left, above] = [corner - 1, corner - CELLS - 1];
    return [
      [above - 1, above, left],
      [above, corner, left],
    ];
  });
  return { knots, triangles };
}

function paintStrokes(context, strokes) {
  context.lineCap = context.lineJoin = "round";
  for (const { colour, width, points } of strokes) {
    [context.strokeStyle, context.lineWidth] = [colour, width];
    context.stroke(new Path2D(pathOf(points)));
  }
}

const pathOf = (points) => {
  const at = ({ x, y }) => `${x.toFixed(2)} ${y.toFixed(2)}`;
  // A click is a dot: a line that goes nowhere, with round ends.
  return `M${at(points[0])}L${(points.length > 1 ? points.slice(1) : points).map(at).join("L")}`;
};

function svgOf(strokes, { x, y, width, height }) {
  const paths = strokes.map(
    ({ colour, width, points }) => `<path d="${pathOf(points)}" stroke="${colour}" stroke-width="${width}"/>`,
  );
  const sides = `width="${Math.round(width)}" height="${Math.round(height)}"`;
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="${x} ${y} ${width} ${height}" ${sides}>
    <g fill="none" stroke-linecap="round" stroke-linejoin="round">${paths.join("")}</g></svg>`;
}
