// The nets of surfaces that bend: where their knots are on each frame, from the server, in windows of frames.
import { call } from "./api.js";

const WINDOW = 60; // Frames that are fetched together.

// Where a place of a net goes when its knots go from some places to others; beyond its rim with the nearest triangle.
export function throughNet({ from, to, triangles }, at) {
  let [best, least] = [null, Infinity];
  for (const corners of triangles) {
    const [a, b, c] = corners.map((i) => from[i]);
    const whole = (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
    if (Math.abs(whole) < 1e-9) continue;
    const second = ((at.x - a.x) * (c.y - a.y) - (at.y - a.y) * (c.x - a.x)) / whole;
    const third = ((b.x - a.x) * (at.y - a.y) - (b.y - a.y) * (at.x - a.x)) / whole;
    const shares = [1 - second - third, second, third];
    const outside = Math.max(0, ...shares.map((share) => -share));
    if (outside < least) [best, least] = [{ corners, shares }, outside];
    if (outside === 0) break;
  }
  if (!best) return at;
  const sum = (axis) => best.corners.reduce((sum, knot, i) => sum + best.shares[i] * to[knot][axis], 0);
  return { x: sum("x"), y: sum("y") };
}

export class Nets {
  // `changed` is called when a window has come.
  constructor(path, changed) {
    Object.assign(this, { path, changed, windows: new Map() });
  }

  // When samples or the shot are others.
  forget() {
    this.windows.clear();
  }

  // The triangles, and the knots on a frame; null until they have come, or where they are not known.
  on(area, frame) {
    const first = frame - (frame % WINDOW);
    const key = `${area} ${first}`;
    const known = this.windows.get(key);
    if (!known) {
      this.windows.set(key, {});
      this.fetch(area, first, key);
      return null;
    }
    const knots = known.frames?.[frame - first];
    return knots ? { knots, triangles: known.triangles } : null;
  }

  async fetch(area, first, key) {
    try {
      const { triangles, frames } = await call("GET", `${this.path}/areas/${area}/net?first=${first}&count=${WINDOW}`);
      const points = (knots) => {
        if (!knots) return null;
        const count = knots.length / 2;
        return Array.from({ length: count }, (_, i) => ({ x: knots[2 * i], y: knots[2 * i + 1] }));
      };
      this.windows.set(key, { triangles, frames: frames.map(points) });
      this.changed();
    } catch {
      // Asked for again when it is wanted again.
      this.windows.delete(key);
    }
  }
}
