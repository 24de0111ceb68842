// The scene of a frame, from back to front, onto the canvas of the picture: as the film will have it at rest, and the
// same a little coarser while it plays, where that saves time.

import { filmPart, litShare } from "./film.js";
import { chained, paintBent, paintWarped } from "./warp.js";

const MODES = { normal: "source-over", multiply: "multiply", screen: "screen", overlay: "overlay", add: "lighter" };
const BLUR_SEEN = 2; // Deviation, in pixels, at which a blur is computed: the rest is made larger.
const STREAK_SEEN = 16; // Length, in pixels, at which a streak is computed while it plays.
const MOST_SOFT = 4e6; // Pixels of blurred light at most.
const STAYS = 0.25; // What is left of a label's line while the label is dragged: the server's answer joins them again.

// What a drag makes of places in the picture, as the two rows of a map.
export function draggedRows({ x, y, factor = 1, turn = 0, about = { x: 0, y: 0 } }) {
  const [cos, sin] = [factor * Math.cos(turn), factor * Math.sin(turn)];
  return [
    [cos, -sin, x + about.x - cos * about.x + sin * about.y],
    [sin, cos, y + about.y - sin * about.x - cos * about.y],
  ];
}

export class Painter {
  constructor(scene, player) {
    Object.assign(this, { scene, player });
  }

  // Pixels of the canvas to each of the film.
  get ratio() {
    return Math.min(4 * this.player.box.ratio, this.player.view.scale * this.player.box.ratio);
  }

  paint(context) {
    const { player, scene } = this;
    const shown = player.pictures.get(player.shown);
    if (!shown) return;
    const { view, box } = player;
    this.quick = Boolean(player.playing);
    context.save();
    context.setTransform(box.ratio, 0, 0, box.ratio, 0, 0);
    context.translate(view.x, view.y);
    context.rotate(view.turn);
    context.scale(view.scale, view.scale);
    context.beginPath();
    context.rect(0, 0, player.size.width, player.size.height);
    context.clip();
    context.imageSmoothingEnabled = true;
    context.imageSmoothingQuality = "low";
    for (const drawable of scene.drawables(player.shown)) this.drawable(context, drawable, shown);
    context.restore();
  }

  drawable(context, { shape, opacity, blend, lit, exposures, of }, shown) {
    const share = opacity * (lit ? litShare(lit, shown, this.player.size) : 1);
    if (share === 0) return;
    const moved = this.scene.shift?.of === of ? this.scene.shift : null;
    const stays = moved && ["line", "stroke", "area", "specks"].includes(shape.shape);
    context.save();
    context.globalCompositeOperation = MODES[blend] ?? "source-over";
    context.globalAlpha = stays ? STAYS * share : share;
    if (moved && !stays) {
      const [[a, c, e], [b, d, f]] = draggedRows(moved);
      context.transform(a, b, c, d, e, f);
    }
    if (exposures) this.exposed(context, shape, exposures, shown);
    else this.draw(context, shape, shown);
    context.restore();
  }

  // The mean of several, as a film camera adds up light: each adds its share, on a layer of its own.
  exposed(context, shape, exposures, shown) {
    const { width, height } = context.canvas;
    const layer = blank("layer", width, height);
    layer.save();
    layer.setTransform(context.getTransform());
    layer.globalCompositeOperation = "lighter";
    layer.globalAlpha = 1 / exposures.length;
    layer.imageSmoothingQuality = context.imageSmoothingQuality;
    for (const { x, y } of exposures) {
      layer.save();
      layer.translate(x, y);
      this.draw(layer, shape, shown);
      layer.restore();
    }
    layer.restore();
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.drawImage(layer.canvas, 0, 0, width, height, 0, 0, width, height);
  }

  draw(context, shape, shown) {
    const paint = {
      artwork: () => this.artwork(context, shape),
      flat: () => this.flat(context, shape),
      clip_frame: () => this.clipFrame(context, shape),
      bent: () => this.bent(context, shape),
      line: () => stroke(context, [[shape.from, shape.to]], shape, false, this.ratio),
      stroke: () => stroke(context, shape.lines, shape, shape.closed, this.ratio),
      area: () => area(context, shape, this.ratio),
      specks: () => area(context, { ...shape, rings: shape.specks.map(ringOfSpeck) }, this.ratio),
    }[shape.shape];
    if (paint) return paint();
    if (this.quick && this.quickFilm(context, shape, shown)) return;
    const seen = Math.min(1, this.player.view.scale);
    const coarse = this.quick ? Math.min(seen, coarsest(shape.effect)) : 1;
    const part = filmPart(shape, shown, this.player.size, coarse);
    if (!part) return;
    const { canvas, left, top, scale } = part;
    context.drawImage(canvas, left, top, canvas.width * scale, canvas.height * scale);
  }

  // What is only cut out of the picture needs no canvas of its own.
  quickFilm(context, shape, shown) {
    if (shape.effect?.plain && !shape.inside_out)
      area(context, { rings: shape.rings, colour: shape.effect.plain, blur: shape.feather }, this.ratio);
    else if (shape.shape === "front" && !shape.brightness && shape.rings.length) this.front(context, shape, shown);
    else if (shape.effect?.mosaic && !shape.inside_out) this.mosaic(context, shape, shown);
    else return false;
    return true;
  }

  // The picture made as small as there are squares, and large again.
  mosaic(context, { rings, middle, effect }, shown) {
    const points = rings.flat();
    const ratio = shown.width / this.player.size.width;
    const side = effect.mosaic;
    const squares = (axis) => {
      const origin = Math.round(middle[axis]);
      const first = Math.floor((Math.min(...points.map((point) => point[axis])) - origin) / side);
      const count = Math.ceil((Math.max(...points.map((point) => point[axis])) - origin) / side) - first;
      return [origin + first * side, Math.max(1, count)];
    };
    const [[left, columns], [top, rows]] = [squares("x"), squares("y")];
    const tiny = blank("tiny", columns, rows);
    tiny.imageSmoothingQuality = "medium";
    tiny.drawImage(shown, left * ratio, top * ratio, columns * side * ratio, rows * side * ratio, 0, 0, columns, rows);
    trace(context, rings, true);
    context.clip();
    context.imageSmoothingEnabled = false;
    context.drawImage(tiny.canvas, 0, 0, columns, rows, left, top, columns * side, rows * side);
  }

  front(context, { rings }, shown) {
    trace(context, rings, true);
    context.clip();
    context.drawImage(shown, 0, 0, this.player.size.width, this.player.size.height);
  }

  artwork(context, { art, matrix }) {
    const one = this.scene.artwork.list[art];
    const bitmap = this.scene.artwork.bitmap(one, this.ratio * Math.hypot(matrix[0], matrix[1]), this.quick);
    if (!bitmap) return;
    context.transform(...matrix);
    const { margin, canvas, drawing } = bitmap;
    context.drawImage(this.quick ? canvas : drawing, -margin, -margin, one.width + 2 * margin, one.height + 2 * margin);
  }

  flat(context, { art, matrix }) {
    const one = this.scene.artwork.list[art];
    this.laid(context, one, matrix, this.scene.artwork.bitmap(one, this.ratio * largestScale(matrix, one), this.quick));
  }

  clipFrame(context, { art, frame, matrix }) {
    const one = this.scene.artwork.list[art];
    this.laid(context, one, matrix, this.scene.clips.bitmap(one, frame));
  }

  bent(context, piece) {
    const one = this.scene.artwork.list[piece.art];
    const isClip = piece.frame !== undefined;
    const larger = Math.sqrt(areaOf(piece.seen, piece.triangles) / Math.max(1e-9, areaOf(piece.own, piece.triangles)));
    const bitmap = isClip
      ? this.scene.clips.bitmap(one, piece.frame)
      : this.scene.artwork.bitmap(one, this.ratio * larger, this.quick);
    if (!bitmap) return;
    const { margin, canvas } = bitmap;
    const [across, down] = [canvas.width / (one.width + 2 * margin), canvas.height / (one.height + 2 * margin)];
    const own = piece.own.map(({ x, y }) => ({ x: across * (x + margin), y: down * (y + margin) }));
    paintBent(context, bitmap, { ...piece, own }, blank, this.quick);
  }

  laid(context, one, matrix, bitmap) {
    if (!bitmap) return;
    const { margin, canvas } = bitmap;
    const [across, down] = [(one.width + 2 * margin) / canvas.width, (one.height + 2 * margin) / canvas.height];
    const own = [
      [across, 0, -margin],
      [0, down, -margin],
      [0, 0, 1],
    ];
    paintWarped(context, bitmap, chained(matrix, own), blank, this.quick);
  }
}

// Pixels in triangles.
function areaOf(at, triangles) {
  const one = ([a, b, c]) =>
    Math.abs((at[b].x - at[a].x) * (at[c].y - at[a].y) - (at[b].y - at[a].y) * (at[c].x - at[a].x)) / 2;
  return triangles.reduce((sum, corners) => sum + one(corners), 0);
}

// How small the picture may be made for an effect that nobody sees sharp anyway.
function coarsest(effect) {
  if (effect?.blur) return Math.min(1, BLUR_SEEN / effect.blur);
  return effect?.streak ? Math.min(1, STREAK_SEEN / effect.streak.length) : 1;
}

// How much larger than itself a picture in perspective is where it is nearest: its longest edge, by what it was.
function largestScale(matrix, { width, height }) {
  const at = (x, y) => {
    const [u, v, w] = matrix.map((row) => row[0] * x + row[1] * y + row[2]);
    return [u / w, v / w];
  };
  const corners = [at(0, 0), at(width, 0), at(width, height), at(0, height)];
  const edge = (i) => Math.hypot(...[0, 1].map((axis) => corners[i][axis] - corners[(i + 1) % 4][axis]));
  return Math.max(edge(0) / width, edge(1) / height, edge(2) / width, edge(3) / height);
}

function stroke(context, lines, { width, colour, round = true, blur = 0 }, closed, ratio) {
  const style = { strokeStyle: colour, lineWidth: width, lineJoin: "round", lineCap: round ? "round" : "butt" };
  softly(context, lines, closed, { blur, width, ratio, ...style }, (on) => on.stroke());
}

// As the exporter draws it.
const SPECK_CORNERS = 10;
export function ringOfSpeck([x, y, across, down, radius]) {
  const long = Math.hypot(across, down);
  const [wayX, wayY] = long > 1e-9 ? [across / long, down / long] : [1, 0];
  return Array.from({ length: SPECK_CORNERS }, (_, i) => {
    const angle = (2 * Math.PI * i) / SPECK_CORNERS;
    const [cos, sin] = [Math.cos(angle), Math.sin(angle) * radius];
    return { x: x + across * cos - wayY * sin, y: y + down * cos + wayX * sin };
  });
}

function area(context, { rings, colour, blur }, ratio) {
  softly(context, rings, true, { blur, ratio, fillStyle: colour }, (on) => on.fill());
}

// Blurred light is painted small, and drawn as large as it is.
function softly(context, lines, closed, { blur, ratio, width = 0, ...style }, paint) {
  if (!blur) {
    trace(context, lines, closed);
    Object.assign(context, style);
    return paint(context);
  }
  const points = lines.flat();
  if (!points.length) return;
  const margin = 3 * blur + width / 2 + 1;
  const low = (axis) => Math.max(-2000, Math.min(...points.map((point) => point[axis])) - margin);
  const high = (axis) => Math.min(20_000, Math.max(...points.map((point) => point[axis])) + margin);
  const [left, top] = [low("x"), low("y")];
  const scale = Math.min(ratio, BLUR_SEEN / blur);
  const [wide, tall] = [Math.ceil((high("x") - left) * scale), Math.ceil((high("y") - top) * scale)];
  if (wide < 1 || tall < 1 || wide * tall > MOST_SOFT) return;
  const small = blank("small", wide, tall);
  small.setTransform(scale, 0, 0, scale, -left * scale, -top * scale);
  trace(small, lines, closed);
  Object.assign(small, style);
  small.filter = `blur(${blur * scale}px)`;
  paint(small);
  context.drawImage(small.canvas, 0, 0, wide, tall, left, top, wide / scale, tall / scale);
}

const scratch = {};

// A canvas for what is made on the way: kept, and only ever made larger, as making one takes longer than painting on
// it.
export function blank(name, wide, tall) {
  const context = (scratch[name] ??= new OffscreenCanvas(1, 1).getContext("2d"));
  const { canvas } = context;
  if (canvas.width < wide || canvas.height < tall) {
    [canvas.width, canvas.height] = [Math.max(canvas.width, wide), Math.max(canvas.height, tall)];
  } else {
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.filter = "none";
    context.clearRect(0, 0, wide, tall);
  }
  return context;
}

function trace(context, lines, closed) {
  context.beginPath();
  for (const line of lines) {
    line.forEach(({ x, y }, i) => context[i ? "lineTo" : "moveTo"](x, y));
    if (closed) context.closePath();
  }
}
