// Flat faces: maps between four points and four others, and closed lines as polygons.
import { chained, inverted } from "./warp.js";

const PIECES = 8; // Straight pieces of a curve between two of its points: as the server cuts it.

// From the square with the corners 0, 0 and 1, 1 to four points, in the order in which one goes round it (Heckbert
// 1989).
function ofSquare([p, q, r, s]) {
  const cross = (a, b) => a[0] * b[1] - b[0] * a[1];
  const [across, down] = [
    [q.x - r.x, q.y - r.y],
    [s.x - r.x, s.y - r.y],
  ];
  const rest = [p.x - q.x + r.x - s.x, p.y - q.y + r.y - s.y];
  const determinant = cross(across, down);
  const [g, h] = [cross(rest, down) / determinant, cross(across, rest) / determinant];
  return [
    [q.x - p.x + g * q.x, s.x - p.x + h * s.x, p.x],
    [q.y - p.y + g * q.y, s.y - p.y + h * s.y, p.y],
    [g, h, 1],
  ];
}

// The map that takes four points to four others; nothing where three of them lie on one line.
export function mapBetween(from, to) {
  const back = inverted(ofSquare(from));
  const map = back && chained(ofSquare(to), back);
  return map?.flat().every(Number.isFinite) ? map : null;
}

export function applied([[a, b, c], [d, e, f], [g, h, i]], { x, y }) {
  const w = g * x + h * y + i;
  return { x: (a * x + b * y + c) / w, y: (d * x + e * y + f) / w };
}

// A closed line: as drawn, or a smooth curve through its points (Catmull & Rom 1974).
export function polygon({ points, curved }) {
  if (!curved || points.length < 3) return points;
  const { length } = points;
  const at = (i) => points[(i + length) % length];
  const piece = (i, t) => {
    const [a, b, c, d] = [at(i - 1), at(i), at(i + 1), at(i + 2)];
    const between = (axis) =>
      b[axis] +
      0.5 *
        (t * (c[axis] - a[axis]) +
          t * t * (2 * a[axis] - 5 * b[axis] + 4 * c[axis] - d[axis]) +
          t * t * t * (3 * (b[axis] - c[axis]) + d[axis] - a[axis]));
    return { x: between("x"), y: between("y") };
  };
  return points.flatMap((_, i) => Array.from({ length: PIECES }, (_, step) => piece(i, step / PIECES)));
}

// The upright box round some points: its corners, clockwise from the upper left.
export function boxOf(points) {
  const [xs, ys] = [points.map(({ x }) => x), points.map(({ y }) => y)];
  const [left, right, top, bottom] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  return [
    { x: left, y: top },
    { x: right, y: top },
    { x: right, y: bottom },
    { x: left, y: bottom },
  ];
}
