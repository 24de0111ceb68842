// Place over time, raw and clean, with the keyframes of the clean path: across above, down below. Keyframes are picked,
// one or several, dragged in place and time, stretched in time by the bar above them, and their handles turned.

const KEY = 4; // Half the side of a keyframe's mark.
const REACH = 12; // How near the pointer has to be, in pixels.
const HANDLE = 34; // Length of a handle, in pixels of time.
const GRIP = 7; // Half the width of a grip of the bar over picked keyframes.
const AXES = ["x", "y"];
const TITLES = { x: "across, px", y: "down, px" };

export class Curves {
  constructor() {
    this.path = null;
    this.picked = new Set(); // Frames of picked keyframes.
  }

  setPath(path) {
    this.path = path;
    const frames = new Set(path?.keys.map((key) => key.frame));
    for (const frame of this.picked) if (!frames.has(frame)) this.picked.delete(frame);
  }

  get pickedKeys() {
    return this.path?.keys.filter((key) => this.picked.has(key.frame)) ?? [];
  }
  // Several keyframes picked: from the first to the last.
  get bar() {
    const keys = this.pickedKeys;
    return keys.length > 1 ? { first: keys[0].frame, last: keys[keys.length - 1].frame } : null;
  }

  draw(context, scale, top, height) {
    const half = height / 2;
    this.bands = AXES.map((axis, i) => this.band(axis, scale, top + i * half, half - 2));
    for (const band of this.bands) this.drawBand(context, scale, band);
    this.top = top;
    if (this.bar) this.drawBar(context, scale);
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

  drawBar(context, scale) {
    const [from, to] = [scale.x(this.bar.first + 0.5), scale.x(this.bar.last + 0.5)];
    context.fillStyle = "#a63a17";
    context.fillRect(from, this.top + 4, to - from, 3);
    for (const x of [from, to]) context.fillRect(x - 3, this.top, 6, 11);
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
    const picked = this.picked.has(key.frame);
    if (picked && this.picked.size === 1) {
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
    const grip =
      this.bar &&
      y < this.top + 13 &&
      ["first", "last"].find((end) => Math.abs(scale.x(this.bar[end] + 0.5) - x) < GRIP);
    if (grip) return { grip };
    for (const band of this.bands ?? []) {
      if (y < band.top || y > band.top + band.height || !this.path) continue;
      const picked = this.picked.size === 1 ? this.pickedKeys[0] : null;
      const handle = picked && this.ends(scale, band, picked).find((end) => Math.hypot(end.x - x, end.y - y) < REACH);
      if (handle) return { band, key: picked, handle };
      const near = (key) => Math.hypot(scale.x(key.frame + 0.5) - x, band.y(key.at[band.axis]) - y);
      const key = [...this.path.keys].sort((a, b) => near(a) - near(b))[0];
      if (key && near(key) < REACH) return { band, key, handle: null };
    }
    return null;
  }

  // What a drag makes of keys: for each the frame it was on, and the new key. `keys`: those picked when the drag began.
  dragged({ band, key, handle, grip, keys }, scale, from, to) {
    const frames = Math.round((to.x - from.x) / scale.perFrame);
    if (grip) return stretched(keys, grip, frames);
    if (handle) return [{ from: key.frame, key: turned({ band, key, handle }, to) }];
    const { axis, perPixel } = band;
    const moved = (one) => ({
      ...one,
      frame: one.frame + frames,
      at: { ...one.at, [axis]: one.at[axis] + (to.y - from.y) * perPixel },
    });
    return keys.map((one) => ({ from: one.frame, key: moved(one) }));
  }
}

// A handle drawn to a place: the keyframe arrives and leaves at that velocity.
function turned({ band, key, handle }, to) {
  const changed = JSON.parse(JSON.stringify(key));
  const velocity = (band.value(to.y) - key.at[band.axis]) / (handle.direction * handle.frames);
  for (const which of ["arrive", "leave"]) if (changed[which].velocity) changed[which].velocity[band.axis] = velocity;
  return changed;
}

// One end of the picked keyframes moves by some frames, the other stays; velocities slow down as time is stretched.
// Null where keyframes would fall on one frame.
function stretched(keys, end, frames) {
  const [first, last] = [keys[0].frame, keys[keys.length - 1].frame];
  const [still, moving] = end === "last" ? [first, last] : [last, first];
  const factor = (moving + frames - still) / (moving - still);
  if (!(factor > 0)) return null;
  const slower = (join) =>
    join.velocity ? { velocity: { x: join.velocity.x / factor, y: join.velocity.y / factor } } : join;
  const frameOf = (key) => Math.round(still + (key.frame - still) * factor);
  const changes = keys.map((key) => ({
    from: key.frame,
    key: { ...key, frame: frameOf(key), arrive: slower(key.arrive), leave: slower(key.leave) },
  }));
  return new Set(changes.map(({ key }) => key.frame)).size === changes.length ? changes : null;
}
