// A background of one colour taken out, as the exporter does it (jampin_core::attachment::Keyer).

const BLUE = [-0.1146, -0.3854, 0.5];
const RED = [0.5, -0.4542, -0.0458];
const [LUMA_RED, LUMA_GREEN, LUMA_BLUE] = [0.2126, 0.7152, 0.0722];
const dot = ([a, b, c], r, g, blue) => a * r + b * g + c * blue;

export function keyed(data, { colour, near, soft, spill }) {
  const [red, green, blue] = [1, 3, 5].map((at) => parseInt(colour.slice(at, at + 2), 16) / 255);
  const key = [dot(BLUE, red, green, blue), dot(RED, red, green, blue)];
  const strength = Math.max(1e-6, Math.hypot(...key));
  const [wayBlue, wayRed] = key.map((part) => part / strength);
  const over = Math.max(1e-6, soft);
  for (let at = 0; at < data.length; at += 4) {
    const [r, g, b] = [data[at] / 255, data[at + 1] / 255, data[at + 2] / 255];
    const [cb, cr] = [dot(BLUE, r, g, b), dot(RED, r, g, b)];
    const share = Math.min(1, Math.max(0, (Math.hypot(cb - key[0], cr - key[1]) - near) / over));
    data[at + 3] *= share * share * (3 - 2 * share);
    if (share === 0) continue;
    const spilt = Math.max(0, cb * wayBlue + cr * wayRed - Math.abs(cb * wayRed - cr * wayBlue)) * spill;
    const [lessBlue, lessRed] = [-1.8556 * spilt * wayBlue, -1.5748 * spilt * wayRed];
    const lessGreen = -(LUMA_BLUE * lessBlue + LUMA_RED * lessRed) / LUMA_GREEN;
    data[at] = 255 * (r + lessRed);
    data[at + 1] = 255 * (g + lessGreen);
    data[at + 2] = 255 * (b + lessBlue);
  }
}

// The colour that most of a picture's edge has: its middle value, each of red, green and blue.
export function edgeColour({ data, width, height }) {
  const values = [[], [], []];
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      if (x > 1 && y > 1 && x < width - 2 && y < height / 2) continue;
      if (y >= height / 2 && x > 1 && x < width - 2) continue;
      for (let c = 0; c < 3; c++) values[c].push(data[4 * (y * width + x) + c]);
    }
  }
  const middle = values.map((all) => all.sort((a, b) => a - b)[all.length >> 1]);
  return `#${middle.map((value) => value.toString(16).padStart(2, "0")).join("")}`;
}
