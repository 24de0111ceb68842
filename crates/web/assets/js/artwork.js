// The artwork of a scene (labels, flares, pictures) as bitmaps of the size in which it is seen.

import { MARGIN, svgAddress } from "./svg.js";

const FINER = 2; // At rest a bitmap has so many pixels across for each that is seen: made smaller, edges stay even.
const SOFTEST = 0.95; // A bitmap with fewer pixels than this, of those wanted, is made again, ...
const FINEST = 2.2; // ... and one with more.
const MOST = 4e6; // Pixels of a bitmap at most.
const IMAGE_MARGIN = 2; // Empty pixels round a picture, over which its edge fades where it is turned.

export class Artwork {
  // `made` is called when a bitmap has come.
  constructor(made) {
    Object.assign(this, { made, list: [] });
  }

  // What the server sent, as what is kept: with the bitmaps of what was there before.
  taken(sent) {
    const key = (art) => art.href ?? art.svg;
    const known = Map.groupBy(this.list, key);
    // Each of those that are there once: what is the same twice may be seen in two sizes.
    return sent.map((art) => (art.clip ? null : known.get(key(art))?.pop()) ?? { ...art, bitmap: null, making: null });
  }

  // Makes bitmaps before they are seen, of those that have none.
  async prepare(list, ratio) {
    const wanted = list.filter((art) => !art.bitmap && !art.clip).map((art) => make(art, ratio).catch(() => {}));
    await Promise.all(wanted);
  }

  // The bitmap of one, for `ratio` pixels to each of its own: the one that is there until a better one has come.
  bitmap(art, ratio, quick) {
    const wanted = sharpest(art, ratio * (quick ? 1 : FINER));
    const have = art.bitmap?.ratio ?? 0;
    const fits = have >= SOFTEST * wanted && have <= FINEST * wanted;
    // What could not be made is not asked for again: each time would have it painted anew, for ever.
    if (!fits && !art.making && !art.failed && !(quick && have)) {
      art.making = make(art, wanted)
        .then(() => this.made())
        .catch(() => (art.failed = true))
        .finally(() => (art.making = null));
    }
    return art.bitmap;
  }
}

// As many pixels as memory allows.
function sharpest({ width, height, href }, ratio) {
  const most = Math.sqrt(MOST / ((width + 2 * MARGIN) * (height + 2 * MARGIN)));
  return Math.min(ratio, most, href ? 1 : Infinity);
}

async function make(art, ratio) {
  const wanted = sharpest(art, ratio);
  const margin = art.href ? IMAGE_MARGIN / wanted : MARGIN;
  const [width, height] = [art.width, art.height].map((side) => Math.max(1, Math.round((side + 2 * margin) * wanted)));
  const image = Object.assign(new Image(), { src: art.href ?? svgAddress(art, width, height) });
  await image.decode();
  const canvas = new OffscreenCanvas(width, height);
  const context = canvas.getContext("2d", { willReadFrequently: true });
  context.imageSmoothingQuality = "high";
  const inset = art.href ? IMAGE_MARGIN : 0;
  context.drawImage(image, inset, inset, width - 2 * inset, height - 2 * inset);
  // A drawing is painted as such, exactly where it lies, where there is time for it.
  const drawing = art.href ? canvas : image;
  art.bitmap = { canvas, context, drawing, margin, ratio: wanted, texels: null };
}
