// Frames of film clips that hang in the shot: fetched ahead of when they are seen, their background taken out.
import { keyed } from "./colour_key.js";

const KEPT = 90; // Frames that are kept.
const AHEAD = 4; // Frames that are fetched before they are seen.
const MOST = 960; // Pixels of one across, at most: smaller than the film's own picture it is seen as sharp.

export class ClipFrames {
  // `made` is called when a frame has come.
  constructor(made) {
    Object.assign(this, { made, kept: new Map(), last: new Map() });
  }

  // The bitmap of a frame, as those of artwork are; the one that was there before until it has come.
  bitmap(art, frame) {
    for (let i = 1; i <= AHEAD; i++) this.fetch(art, (frame + i) % art.frames);
    const one = this.fetch(art, frame);
    if (one.bitmap) this.last.set(art.clip, one.bitmap);
    return one.bitmap ?? this.last.get(art.clip) ?? null;
  }

  fetch(art, frame) {
    const key = `${art.clip} ${frame} ${JSON.stringify(art.key)}`;
    const known = this.kept.get(key);
    if (known) {
      // Least lately used goes first.
      this.kept.delete(key);
      this.kept.set(key, known);
      return known;
    }
    const one = { bitmap: null };
    this.kept.set(key, one);
    if (this.kept.size > KEPT) this.kept.delete(this.kept.keys().next().value);
    load(art, frame)
      .then((bitmap) => {
        one.bitmap = bitmap;
        this.made();
      })
      // It is asked for again when it is wanted again.
      .catch(() => this.kept.delete(key));
    return one;
  }
}

async function load({ clip, alpha, key, width }, frame) {
  const image = Object.assign(new Image(), { src: `/clips/${clip}/frames/${frame}.${alpha ? "png" : "jpg"}` });
  await image.decode();
  const scale = Math.min(1, MOST / image.naturalWidth);
  const [wide, tall] = [image.naturalWidth, image.naturalHeight].map((side) => Math.max(1, Math.round(side * scale)));
  const canvas = new OffscreenCanvas(wide, tall);
  const context = canvas.getContext("2d", { willReadFrequently: true });
  context.imageSmoothingQuality = "high";
  context.drawImage(image, 0, 0, wide, tall);
  if (key) {
    const pixels = context.getImageData(0, 0, wide, tall);
    keyed(pixels.data, key);
    context.putImageData(pixels, 0, 0);
  }
  return { canvas, context, drawing: canvas, margin: 0, ratio: wide / width, texels: null };
}
