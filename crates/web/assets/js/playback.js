// The scene while it plays: straight onto the canvas of the picture, which costs a tenth of what a stack of elements
// does. Artwork is made into bitmaps of the size in which it is seen; at rest the stack of elements (scene.js) shows
// every pixel as the film will have it.

import { filmPart, litShare } from "./film.js";
import { MARGIN, svgAddress } from "./svg.js";

const MODES = { normal: "source-over", multiply: "multiply", screen: "screen", overlay: "overlay", add: "lighter" };
const CELLS = 6; // A picture in perspective is drawn in so many pieces across and down, each without perspective.
const BLUR_SEEN = 2; // Deviation, in pixels, at which a blur is computed: the rest is made larger.
const MOST_SOFT = 4e6; // Pixels of blurred light at most.

export class Playback {
  constructor(scene, player) {
    Object.assign(this, { scene, player, bitmaps: new Map() });
  }

  // Makes the bitmaps that are not there in this size yet.
  async prepare() {
    const { scale } = this.player.view;
    const ratio = Math.min(4, scale * this.player.box.ratio);
    const wanted = this.scene.artwork.map(async (art) => {
      const known = this.bitmaps.get(art);
      if (known && Math.abs(known.ratio / ratio - 1) < 0.05) return;
      this.bitmaps.set(art, await (art.image ? picture(art) : rasterised(art, ratio)));
    });
    await Promise.allSettled(wanted);
  }

  paint(context) {
    const { player, scene } = this;
    const shown = player.pictures.get(player.shown);
    if (!shown) return;
    const { view, box } = player;
    context.save();
    context.setTransform(box.ratio, 0, 0, box.ratio, 0, 0);
    context.translate(view.x, view.y);
    context.rotate(view.turn);
    context.scale(view.scale, view.scale);
    context.beginPath();
    context.rect(0, 0, player.size.width, player.size.height);
    context.clip();
    context.imageSmoothingEnabled = true;
    for (const drawable of scene.drawables(player.shown)) {
      const lit = drawable.lit ? litShare(drawable.lit, shown, player.size) : 1;
      const exposures = drawable.exposures ?? [{ x: 0, y: 0 }];
      context.globalCompositeOperation = MODES[drawable.blend] ?? "source-over";
      const opacity = drawable.opacity * lit;
      for (const [i, { x, y }] of exposures.entries()) {
        // Later ones cover part of the earlier: so weighed, each has the same share of the opacity at the end.
        context.globalAlpha = opacity / (exposures.length - (exposures.length - 1 - i) * opacity);
        context.save();
        context.translate(x, y);
        this.draw(context, drawable.shape, shown);
        context.restore();
      }
    }
    context.restore();
  }

  draw(context, shape, shown) {
    const paint = {
      artwork: () => this.artwork(context, shape),
      flat: () => this.flat(context, shape),
      line: () => stroke(context, [[shape.from, shape.to]], shape, false),
      stroke: () => stroke(context, shape.lines, shape, shape.closed),
      area: () => area(context, shape),
    }[shape.shape];
    if (paint) return paint();
    // What is only cut out of the picture needs no canvas of its own.
    if (shape.effect?.plain && !shape.inside_out)
      return area(context, { rings: shape.rings, colour: shape.effect.plain, blur: shape.feather });
    if (shape.shape === "front" && !shape.brightness && shape.rings.length) return this.front(context, shape, shown);
    if (shape.effect?.mosaic && !shape.inside_out) return this.mosaic(context, shape, shown);
    const seen = Math.min(1, this.player.view.scale);
    const coarse = shape.effect?.blur ? Math.min(seen, BLUR_SEEN / shape.effect.blur) : seen;
    const part = filmPart(shape, shown, this.player.size, coarse);
    if (part)
      context.drawImage(
        part.canvas,
        part.left,
        part.top,
        part.canvas.width * part.scale,
        part.canvas.height * part.scale,
      );
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
    const one = this.scene.artwork[art];
    const made = this.bitmaps.get(one);
    if (!made) return;
    context.transform(...matrix);
    const { margin } = made;
    context.drawImage(made.bitmap, -margin, -margin, one.width + 2 * margin, one.height + 2 * margin);
  }

  // Each piece by the affine map that is right at its corners, a little larger than it is, so that no seam is seen.
  flat(context, { art, matrix }) {
    const one = this.scene.artwork[art];
    const made = this.bitmaps.get(one);
    if (!made) return;
    const at = (x, y) => {
      const [u, v, w] = matrix.map((row) => row[0] * x + row[1] * y + row[2]);
      return [u / w, v / w];
    };
    const { margin } = made;
    const [wide, high] = [(one.width + 2 * margin) / CELLS, (one.height + 2 * margin) / CELLS];
    const [sw, sh] = [made.bitmap.width / CELLS, made.bitmap.height / CELLS];
    for (let row = 0; row < CELLS; row++) {
      for (let col = 0; col < CELLS; col++) {
        const [x, y] = [col * wide - margin, row * high - margin];
        const [a, b, c, d] = [at(x, y), at(x + wide, y), at(x, y + high), at(x + wide, y + high)];
        context.save();
        const across = [(b[0] - a[0] + d[0] - c[0]) / 2 / wide, (b[1] - a[1] + d[1] - c[1]) / 2 / wide];
        const down = [(c[0] - a[0] + d[0] - b[0]) / 2 / high, (c[1] - a[1] + d[1] - b[1]) / 2 / high];
        context.transform(across[0], across[1], down[0], down[1], a[0], a[1]);
        context.drawImage(made.bitmap, col * sw, row * sh, sw, sh, 0, 0, wide * 1.01, high * 1.01);
        context.restore();
      }
    }
  }
}

function stroke(context, lines, { width, colour, round = true, blur = 0 }, closed) {
  const style = { strokeStyle: colour, lineWidth: width, lineJoin: "round", lineCap: round ? "round" : "butt" };
  softly(context, lines, closed, { blur, width, ...style }, (on) => on.stroke());
}

function area(context, { rings, colour, blur }) {
  softly(context, rings, true, { blur, fillStyle: colour }, (on) => on.fill());
}

// Blurred light is painted small, and drawn as large as it is.
function softly(context, lines, closed, { blur, width = 0, ...style }, paint) {
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
  const scale = Math.min(1, BLUR_SEEN / blur);
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
function blank(name, wide, tall) {
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

async function picture({ image }) {
  await image.decode();
  return { bitmap: await createImageBitmap(image), margin: 0, ratio: Infinity };
}

// As large as it is seen, with its shadow.
async function rasterised(art, ratio) {
  const [width, height] = [art.width, art.height].map((side) => Math.max(1, Math.round((side + 2 * MARGIN) * ratio)));
  const image = Object.assign(new Image(width, height), { src: svgAddress(art, width, height) });
  await image.decode();
  return {
    bitmap: await createImageBitmap(image, { resizeWidth: width, resizeHeight: height }),
    margin: MARGIN,
    ratio,
  };
}
