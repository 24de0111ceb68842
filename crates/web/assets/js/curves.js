// Place over time, raw and clean, with the keyframes of the clean path: across above, down below. Keyframes are picked, dragged
// in place and time, and their handles turned.

const KEY = 4; // Half the side of a keyframe's mark.
const REACH = 12; // How near the pointer has to be, in pixels.
const HANDLE = 34; // Length of a handle, in pixels of time.
const AXES = ["x", "y"];
const TITLES = { x: "across, px", y: "down, px" };

export class Curves {
  constructor() {
    this.path = null;
    this.picked = null;
    this.drag = null;
  }

  setPath(path) {
    this.path = path;
    if (path && !path.keys.some((key) => key.frame === this.picked)) this.picked = null;
  }

  draw(context, scale, top, height) {
    const half = height / 2;
    this.bands = AXES.map((axis, i) => this.band(axis, scale, top + i * half, half - 2));
    for (const band of this.bands) this.drawBand(context, scale, band);
  }

  // The values in view fill the band.
  band(axis, scale, top, height) {
    const path = this.path;
    let [low, high] = [Infinity, -Infinity];
    path?.frame.forEach((frame, i) => {
      if (scale.x(frame + 1) < 0 || scale.x(frame) > scale.width) return;
      for (const value of [path[axis][i], path[`raw_${axis}`][i]]) {
        if (value === null) continue;
        low = Math.min(low, value);
        high = Math.max(high, value);
      }
    });
    if (low > high) [low, high] = [0, 1];
    const room = Math.max((high - low) * 0.12, 0.5);
    const [bottom, span] = [low - room, high - low + 2 * room];
    // Across: more is higher. Down: more is lower, as in the picture.
    const turned = (share) => (axis === "x" ? 1 - share : share);
    const y = (value) => top + height * turned((value - bottom) / span);
    const value = (at) => bottom + span * turned((at - top) / height);
    return { axis, top, height, low, high, y, value, perPixel: (span / height) * (axis === "x" ? -1 : 1) };
  }

  drawBand(context, scale, band) {
    const { axis, top, height, y } = band;
    context.fillStyle = "#f5f2eb";
    context.fillRect(0, top, scale.width, height);
    if (!this.path) return;
    context.save();
    context.beginPath();
    context.rect(0, top, scale.width, height);
    context.clip();
    this.line(context, scale, this.path[`raw_${axis}`], y, "#8a867c", 3);
    this.line(context, scale, this.path[axis], y, "#0b4f8a", 1.4);
    for (const key of this.path.keys) this.key(context, scale, band, key);
    context.restore();
    context.fillStyle = "#595750";
    context.font = '11px "Public Sans", sans-serif';
    context.fillText(`${TITLES[axis]}: ${band.low.toFixed(0)} to ${band.high.toFixed(0)}`, 12, top + 12);
  }

  line(context, scale, values, y, colour, width) {
    context.strokeStyle = colour;
    context.lineWidth = width;
    context.beginPath();
    let before = null;
    this.path.frame.forEach((frame, i) => {
      if (values[i] === null) return (before = null);
      const point = [scale.x(frame + 0.5), y(values[i])];
      if (before !== frame - 1) context.moveTo(...point);
      else context.lineTo(...point);
      before = frame;
    });
    context.stroke();
  }

  key(context, scale, band, key) {
    const x = scale.x(key.frame + 0.5);
    const y = band.y(key.at[band.axis]);
    const picked = key.frame === this.picked;
    if (picked) {
      for (const end of this.ends(scale, band, key)) {
        context.strokeStyle = "#0b4f8a";
        context.lineWidth = 1;
        context.beginPath();
        context.moveTo(x, y);
        context.lineTo(end.x, end.y);
        context.stroke();
        context.beginPath();
        context.arc(end.x, end.y, 4, 0, 7);
        context.fillStyle = "#fff";
        context.fill();
        context.stroke();
      }
    }
    context.fillStyle = picked ? "#a63a17" : "#fff";
    context.strokeStyle = "#0b2f50";
    context.lineWidth = 1.3;
    context.fillRect(x - KEY, y - KEY, 2 * KEY, 2 * KEY);
    context.strokeRect(x - KEY, y - KEY, 2 * KEY, 2 * KEY);
  }

  // Where the handles of a key end: along its velocity.
  ends(scale, band, key) {
    const frames = HANDLE / scale.perFrame;
    const end = (which, direction) => {
      const velocity = key[which].velocity;
      if (!velocity) return null;
      const value = key.at[band.axis] + direction * frames * velocity[band.axis];
      return { which, direction, frames, x: scale.x(key.frame + 0.5) + direction * HANDLE, y: band.y(value) };
    };
    return [end("arrive", -1), end("leave", 1)].filter(Boolean);
  }

  // What is under the pointer: a handle of the picked key, or a key.
  under(scale, x, y) {
    for (const band of this.bands ?? []) {
      if (y < band.top || y > band.top + band.height || !this.path) continue;
      const picked = this.path.keys.find((key) => key.frame === this.picked);
      const handle = picked && this.ends(scale, band, picked).find((end) => Math.hypot(end.x - x, end.y - y) < REACH);
      if (handle) return { band, key: picked, handle };
      const near = (key) => Math.hypot(scale.x(key.frame + 0.5) - x, band.y(key.at[band.axis]) - y);
      const key = [...this.path.keys].sort((a, b) => near(a) - near(b))[0];
      if (key && near(key) < REACH) return { band, key, handle: null };
    }
    return null;
  }

  // Changes that a drag makes of a key: a new key in its place.
  dragged({ band, key, handle }, scale, from, to) {
    const changed = JSON.parse(JSON.stringify(key));
    const { axis, perPixel } = band;
    if (handle) {
      const value = band.value(to.y);
      const velocity = (value - key.at[axis]) / (handle.direction * handle.frames);
      for (const which of ["arrive", "leave"]) if (changed[which].velocity) changed[which].velocity[axis] = velocity;
    } else {
      changed.at[axis] = key.at[axis] + (to.y - from.y) * perPixel;
      changed.frame = Math.round(key.frame + (to.x - from.x) / scale.perFrame);
    }
    return changed;
  }
}
