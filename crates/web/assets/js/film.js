// Parts of the film's own picture, changed or brought back: pixels of covers, and of what stands in front. Where they
// are comes from the server.

const LUMA = [0.2126, 0.7152, 0.0722]; // ITU-R BT.709-6, as the exporter has it.
const REACH = 3; // Standard deviations of a blur that are painted.

const luma = (data, at) => (LUMA[0] * data[at] + LUMA[1] * data[at + 1] + LUMA[2] * data[at + 2]) / 255;

const trace = (context, rings, { left, top, ratio }) => {
  context.beginPath();
  for (const ring of rings) {
    ring.forEach(({ x, y }, i) => context[i ? "lineTo" : "moveTo"](x * ratio - left, y * ratio - top));
    context.closePath();
  }
};

// A canvas with what a drawable shows of `picture`, and where it is: in pixels of the film, `scale` of them to one of
// the canvas. `coarse` (up to 1) makes it smaller by that, for what only has to be quick.
export function filmPart(shape, picture, size, coarse = 1) {
  const ratio = (picture.width / size.width) * coarse;
  const part = bounds(shape, picture, ratio, coarse);
  if (!part) return null;
  const canvas = Object.assign(document.createElement("canvas"), { width: part.width, height: part.height });
  const context = canvas.getContext("2d", { willReadFrequently: true });
  if (shape.shape === "front") paintFront(context, shape, picture, part);
  else paintEffect(context, shape, picture, part);
  cut(context, shape, part);
  return { canvas, left: part.left / ratio, top: part.top / ratio, scale: 1 / ratio };
}

// Whole pixels of the canvas round the shape; all of it when the shape is what is left out.
function bounds({ rings, feather, inside_out }, picture, ratio, coarse) {
  const [wide, tall] = [Math.ceil(picture.width * coarse), Math.ceil(picture.height * coarse)];
  const points = rings.flat();
  if (inside_out || !points.length) return { left: 0, top: 0, width: wide, height: tall, ratio, coarse };
  const margin = REACH * feather * ratio + 1;
  const low = (axis) => Math.min(...points.map((point) => point[axis])) * ratio - margin;
  const high = (axis) => Math.max(...points.map((point) => point[axis])) * ratio + margin;
  const left = Math.max(0, Math.floor(low("x")));
  const top = Math.max(0, Math.floor(low("y")));
  const width = Math.min(wide, Math.ceil(high("x"))) - left;
  const height = Math.min(tall, Math.ceil(high("y"))) - top;
  return width > 0 && height > 0 ? { left, top, width, height, ratio, coarse } : null;
}

// Part of the picture, `left` and `top` and on in pixels of a canvas that is smaller by `coarse`.
const drawPart = (context, picture, { left, top, width, height }, coarse, x = 0, y = 0) =>
  context.drawImage(picture, left / coarse, top / coarse, width / coarse, height / coarse, x, y, width, height);

function paintEffect(context, { effect, middle }, picture, part) {
  if (effect.plain) {
    context.fillStyle = effect.plain;
    context.fillRect(0, 0, part.width, part.height);
  } else if (effect.blur) blur(context, effect.blur, picture, part);
  else if (effect.streak) streak(context, effect.streak, picture, part);
  else if (effect.saturation !== undefined) {
    context.filter = `saturate(${effect.saturation})`;
    drawPart(context, picture, part, part.coarse);
    context.filter = "none";
  } else mosaic(context, effect.mosaic, middle, picture, part);
}

function blur(context, deviation, picture, { left, top, width, height, ratio, coarse }) {
  const margin = Math.ceil(REACH * deviation * ratio);
  const [x, y] = [Math.max(0, left - margin), Math.max(0, top - margin)];
  const right = Math.min(picture.width * coarse, left + width + margin);
  const bottom = Math.min(picture.height * coarse, top + height + margin);
  // Beyond the picture's edge there is nothing: painted several times, the edge is as full as the rest.
  const atEdge = left < margin || top < margin || right < left + width + margin || bottom < top + height + margin;
  context.filter = `blur(${deviation * ratio}px)`;
  for (let i = 0; i < (atEdge ? 4 : 1); i++)
    drawPart(context, picture, { left: x, top: y, width: right - x, height: bottom - y }, coarse, x - left, y - top);
  context.filter = "none";
}

// The mean of two places half a line apart, each the mean of two a quarter apart, and so on, as the exporter does it.
function streak(context, { length, angle }, picture, { left, top, width, height, ratio, coarse }) {
  const margin = Math.ceil((length * ratio) / 2) + 2;
  const [wide, tall] = [width + 2 * margin, height + 2 * margin];
  const layer = () => new OffscreenCanvas(wide, tall).getContext("2d");
  let [from, to] = [layer(), layer()];
  from.drawImage(picture, margin - left, margin - top, picture.width * coarse, picture.height * coarse);
  const turn = (angle * Math.PI) / 180;
  for (let step = (length * ratio) / 2; step >= 0.5; step /= 2) {
    const [x, y] = [(Math.cos(turn) * step) / 2, (Math.sin(turn) * step) / 2];
    to.globalCompositeOperation = "copy";
    to.globalAlpha = 0.5;
    to.drawImage(from.canvas, x, y);
    to.globalCompositeOperation = "lighter";
    to.drawImage(from.canvas, -x, -y);
    [from, to] = [to, from];
  }
  // At the edge of the picture a part of the line lies beyond it: painted several times it is as full as the rest.
  for (let i = 0; i < 4; i++) context.drawImage(from.canvas, -margin, -margin);
}

// Squares with the mean colour of the part of the picture that they cover.
function mosaic(context, side, middle, picture, { left, top, width, height, ratio, coarse }) {
  const edge = (origin, n) => Math.round((Math.round(origin) + n * side) * ratio);
  const squares = (origin, from, length) => {
    const first = Math.floor((from / ratio - Math.round(origin)) / side);
    const last = Math.floor(((from + length) / ratio - Math.round(origin)) / side);
    const pair = (n) => [Math.max(0, edge(origin, n)), edge(origin, n + 1)];
    return Array.from({ length: last - first + 1 }, (_, i) => pair(first + i));
  };
  const columns = squares(middle.x, left, width);
  const rows = squares(middle.y, top, height);
  const [x0, y0] = [columns[0][0], rows[0][0]];
  const [x1, y1] = [
    Math.min(picture.width * coarse, columns.at(-1)[1]),
    Math.min(picture.height * coarse, rows.at(-1)[1]),
  ].map(Math.floor);
  const { data, width: stride } = pixels(picture, { left: x0, top: y0, width: x1 - x0, height: y1 - y0 }, coarse);
  for (const [y, down] of rows) {
    for (const [x, right] of columns) {
      context.fillStyle = mean(data, stride, x - x0, y - y0, Math.min(right, x1) - x0, Math.min(down, y1) - y0);
      context.fillRect(x - left, y - top, right - x, down - y);
    }
  }
}

function mean(data, stride, left, top, right, bottom) {
  const sum = [0, 0, 0];
  for (let y = top; y < bottom; y++) {
    for (let at = 4 * (y * stride + left), end = at + 4 * (right - left); at < end; at += 4) {
      for (let c = 0; c < 3; c++) sum[c] += data[at + c];
    }
  }
  const count = Math.max(1, (right - left) * (bottom - top));
  return `rgb(${sum.map((value) => Math.round(value / count)).join(" ")})`;
}

function paintFront(context, { brightness }, picture, part) {
  drawPart(context, picture, part, part.coarse);
  if (!brightness) return;
  const image = context.getImageData(0, 0, part.width, part.height);
  const { data } = image;
  const { from, to, softness } = brightness;
  for (let at = 0; at < data.length; at += 4) {
    const value = luma(data, at);
    const outside = Math.max(from - value, value - to, 0);
    data[at + 3] = 255 * (softness > 0 ? Math.max(0, 1 - outside / softness) : Number(outside === 0));
  }
  context.putImageData(image, 0, 0);
}

function cut(context, { rings, feather, inside_out }, part) {
  if (!rings.length) return;
  context.globalCompositeOperation = inside_out ? "destination-out" : "destination-in";
  if (feather > 0) context.filter = `blur(${feather * part.ratio}px)`;
  trace(context, rings, part);
  context.fillStyle = "#fff";
  context.fill();
  context.filter = "none";
}

let reader = null;

function pixels(picture, part, coarse = 1) {
  const { width, height } = part;
  reader ??= new OffscreenCanvas(1, 1).getContext("2d", { willReadFrequently: true });
  const { canvas } = reader;
  if (canvas.width < width) canvas.width = width;
  if (canvas.height < height) canvas.height = height;
  drawPart(reader, picture, part, coarse);
  return reader.getImageData(0, 0, width, height);
}

// What is left of something that is seen only while a place of the picture is bright.
export function litShare({ at, threshold }, picture, size) {
  const reach = 4;
  const softness = 0.2;
  const ratio = picture.width / size.width;
  const edge = (value, most) => Math.min(most, Math.max(0, Math.round(value * ratio)));
  const [left, right] = [
    edge(Math.floor(at.x) - reach, picture.width),
    edge(Math.floor(at.x) + reach + 1, picture.width),
  ];
  const [top, bottom] = [
    edge(Math.floor(at.y) - reach, picture.height),
    edge(Math.floor(at.y) + reach + 1, picture.height),
  ];
  let value = 0;
  if (right > left && bottom > top) {
    const { data } = pixels(picture, { left, top, width: right - left, height: bottom - top });
    for (let i = 0; i < data.length; i += 4) value += luma(data, i);
    value /= data.length / 4;
  }
  return Math.min(1, Math.max(0, (value - threshold) / softness + 0.5));
}
