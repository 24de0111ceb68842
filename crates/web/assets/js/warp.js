// Pictures in perspective, pixel by pixel: each pixel that is seen is looked up where it comes from. Between texels it
// is interpolated linearly, of colours weighed by how much is there (Porter & Duff 1984: premultiplied).

const QUICK_MOST = 250_000; // While it plays, a warped picture of more pixels is made of fewer.

// The texels of a bitmap, premultiplied; kept with it.
function texelsOf(bitmap) {
  if (bitmap.texels) return bitmap.texels;
  const { width, height } = bitmap.canvas;
  const { data } = bitmap.context.getImageData(0, 0, width, height);
  for (let at = 0; at < data.length; at += 4) {
    const share = data[at + 3] / 255;
    for (let c = 0; c < 3; c++) data[at + c] *= share;
  }
  return (bitmap.texels = { data, width, height });
}

// Three rows of three numbers: first `inner`, then `outer`.
export const chained = (outer, inner) =>
  outer.map((row) => [0, 1, 2].map((i) => row[0] * inner[0][i] + row[1] * inner[1][i] + row[2] * inner[2][i]));

export function inverted([[a, b, c], [d, e, f], [g, h, i]]) {
  const [x, y, z] = [e * i - f * h, f * g - d * i, d * h - e * g];
  const determinant = a * x + b * y + c * z;
  if (!(Math.abs(determinant) > 1e-12)) return null;
  const rows = [
    [x, c * h - b * i, b * f - c * e],
    [y, a * i - c * g, c * d - a * f],
    [z, b * g - a * h, a * e - b * d],
  ];
  return rows.map((row) => row.map((value) => value / determinant));
}

// Paints `bitmap` on `context` where `map` (from the bitmap's own pixels to the context's) takes it.
export function paintWarped(context, bitmap, map, scratch, quick) {
  const { a, b, c, d, e, f } = context.getTransform();
  const onCanvas = chained(
    [
      [a, c, e],
      [b, d, f],
      [0, 0, 1],
    ],
    map,
  );
  const box = seenBox(onCanvas, bitmap.canvas, context.canvas);
  if (!box) return;
  const coarse = quick ? Math.max(1, Math.ceil(Math.sqrt((box.width * box.height) / QUICK_MOST))) : 1;
  const [width, height] = [Math.ceil(box.width / coarse), Math.ceil(box.height / coarse)];
  const toCanvas = [
    [1 / coarse, 0, -box.left / coarse],
    [0, 1 / coarse, -box.top / coarse],
    [0, 0, 1],
  ];
  const image = new ImageData(width, height);
  if (!fill(image, texelsOf(bitmap), chained(toCanvas, onCanvas))) return;
  const layer = scratch("warp", width, height);
  layer.putImageData(image, 0, 0);
  context.setTransform(1, 0, 0, 1, 0, 0);
  context.drawImage(layer.canvas, 0, 0, width, height, box.left, box.top, width * coarse, height * coarse);
}

// Paints `bitmap` in triangles: `own` are their corners in the bitmap's own pixels, `seen` where they are for the
// context. Where they overlap, the later is in front.
export function paintBent(context, bitmap, { own, seen, triangles }, scratch, quick) {
  const { a, b, c, d, e, f } = context.getTransform();
  const on = seen.map(({ x, y }) => [a * x + c * y + e, b * x + d * y + f]);
  const box = boxAround(on, context.canvas);
  if (!box) return;
  const coarse = quick ? Math.max(1, Math.ceil(Math.sqrt((box.width * box.height) / QUICK_MOST))) : 1;
  const [width, height] = [Math.ceil(box.width / coarse), Math.ceil(box.height / coarse)];
  const image = new ImageData(width, height);
  const texels = texelsOf(bitmap);
  const at = on.map(([x, y]) => [(x - box.left) / coarse, (y - box.top) / coarse]);
  for (const corners of triangles)
    fillTriangle(
      image,
      texels,
      corners.map((i) => own[i]),
      corners.map((i) => at[i]),
    );
  const layer = scratch("warp", width, height);
  layer.putImageData(image, 0, 0);
  context.setTransform(1, 0, 0, 1, 0, 0);
  context.drawImage(layer.canvas, 0, 0, width, height, box.left, box.top, width * coarse, height * coarse);
}

// Two that share a side both paint what lies on it, from the same place: nothing is left between them.
function fillTriangle({ data, width, height }, texels, own, [a, b, c]) {
  const whole = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
  if (Math.abs(whole) < 1e-9) return;
  const range = (axis, end) => {
    const values = [a[axis], b[axis], c[axis]];
    return [Math.max(0, Math.floor(Math.min(...values))), Math.min(end, Math.ceil(Math.max(...values)))];
  };
  const [[left, right], [top, bottom]] = [range(0, width), range(1, height)];
  for (let row = top; row < bottom; row++) {
    const y = row + 0.5 - a[1];
    for (let col = left; col < right; col++) {
      const x = col + 0.5 - a[0];
      const second = (x * (c[1] - a[1]) - y * (c[0] - a[0])) / whole;
      const third = ((b[0] - a[0]) * y - (b[1] - a[1]) * x) / whole;
      if (second < -1e-6 || third < -1e-6 || second + third > 1 + 1e-6) continue;
      const first = 1 - second - third;
      const u = first * own[0].x + second * own[1].x + third * own[2].x;
      const v = first * own[0].y + second * own[1].y + third * own[2].y;
      const at = 4 * (row * width + col);
      data[at + 3] = 0;
      texel(texels, u - 0.5, v - 0.5, data, at);
    }
  }
}

// Whole pixels of the canvas round some points.
function boxAround(points, canvas) {
  const [xs, ys] = [0, 1].map((axis) => points.map((point) => point[axis]));
  const [left, top] = [Math.max(0, Math.floor(Math.min(...xs))), Math.max(0, Math.floor(Math.min(...ys)))];
  const [right, bottom] = [
    Math.min(canvas.width, Math.ceil(Math.max(...xs))),
    Math.min(canvas.height, Math.ceil(Math.max(...ys))),
  ];
  return right > left && bottom > top ? { left, top, width: right - left, height: bottom - top } : null;
}

// Whole pixels of the canvas in which it can be seen. What reaches behind the camera can be seen anywhere.
function seenBox(map, { width, height }, canvas) {
  const corners = [
    [0, 0],
    [width, 0],
    [width, height],
    [0, height],
  ].map(([x, y]) => map.map((row) => row[0] * x + row[1] * y + row[2]));
  let [left, top, right, bottom] = [0, 0, canvas.width, canvas.height];
  if (corners.every(([, , w]) => w > 1e-9)) {
    const [across, down] = [0, 1].map((axis) => corners.map((corner) => corner[axis] / corner[2]));
    [left, top] = [Math.max(0, Math.floor(Math.min(...across))), Math.max(0, Math.floor(Math.min(...down)))];
    [right, bottom] = [Math.min(right, Math.ceil(Math.max(...across))), Math.min(bottom, Math.ceil(Math.max(...down)))];
  }
  return right > left && bottom > top ? { left, top, width: right - left, height: bottom - top } : null;
}

function fill(image, texels, map) {
  const back = inverted(map);
  if (!back) return false;
  const { data, width, height } = image;
  const [[m00, m01, m02], [m10, m11, m12], [m20, m21, m22]] = back;
  const ahead = map[2]; // Of the picture: what is in front of the camera.
  for (let row = 0, at = 0; row < height; row++) {
    const y = row + 0.5;
    for (let col = 0; col < width; col++, at += 4) {
      const x = col + 0.5;
      const w = m20 * x + m21 * y + m22;
      const [u, v] = [(m00 * x + m01 * y + m02) / w, (m10 * x + m11 * y + m12) / w];
      if (ahead[0] * u + ahead[1] * v + ahead[2] > 0) texel(texels, u - 0.5, v - 0.5, data, at);
    }
  }
  return true;
}

// The colour between four texels, no longer premultiplied.
function texel({ data, width, height }, u, v, out, at) {
  if (!(u > -1 && v > -1 && u < width && v < height)) return;
  const [left, top] = [Math.floor(u), Math.floor(v)];
  const [fu, fv] = [u - left, v - top];
  let [r, g, b, a] = [0, 0, 0, 0];
  for (let i = 0; i < 4; i++) {
    const [x, y] = [left + (i & 1), top + (i >> 1)];
    if (x < 0 || y < 0 || x >= width || y >= height) continue;
    const share = (i & 1 ? fu : 1 - fu) * (i >> 1 ? fv : 1 - fv);
    const from = 4 * (y * width + x);
    r += share * data[from];
    g += share * data[from + 1];
    b += share * data[from + 2];
    a += share * data[from + 3];
  }
  if (a <= 0) return;
  out[at] = (255 * r) / a;
  out[at + 1] = (255 * g) / a;
  out[at + 2] = (255 * b) / a;
  out[at + 3] = a;
}
