// The scene as the server evaluated it, a window of frames at a time, fetched where it is looked at.

const AHEAD = 40; // While so many frames are left of a window, the next one is asked for.

// A value with other numbers, in the order in which they stand in it.
function filled(value, next) {
  if (typeof value === "number") return next();
  if (Array.isArray(value)) return value.map((one) => filled(one, next));
  if (value === null || typeof value !== "object") return value;
  return Object.fromEntries(Object.entries(value).map(([key, one]) => [key, filled(one, next)]));
}

// The value of a run on each of its frames.
function valuesOf({ value, which, numbers, count }) {
  if (!which.length) return Array(count).fill(value);
  const now = ownNumbers(value);
  const sums = numbers.map(() => 0);
  return Array.from({ length: count }, (_, index) => {
    which.forEach((at, i) => {
      sums[i] += numbers[i].steps[index];
      now[at] = sums[i] / numbers[i].per;
    });
    let at = 0;
    return filled(value, () => now[at++]);
  });
}

// The numbers in a value.
function ownNumbers(value, all = []) {
  if (typeof value === "number") all.push(value);
  else if (value !== null && typeof value === "object") for (const one of Object.values(value)) ownNumbers(one, all);
  return all;
}

// The drawables of each frame of a window, from back to front.
export function framesOf({ range, runs }) {
  const frames = Array.from({ length: range.last - range.first + 1 }, () => []);
  for (const run of runs) {
    valuesOf(run).forEach((value, i) => (frames[run.first - range.first + i][run.place] = value));
  }
  return frames;
}

export class SceneWindows {
  // `fetch` asks for the window with a frame, given the tag of the artwork that is known; `come` is told of each that
  // has come.
  constructor(fetch, come) {
    Object.assign(this, {
      fetch,
      come,
      data: null,
      art: "",
      shot: null,
      length: 0,
      windows: new Map(),
      asked: new Set(),
      round: 0,
    });
  }

  // Everything may be another: the window with this frame is fetched, and others again when they are looked at.
  async renew(frame) {
    const round = ++this.round;
    const data = await this.fetch(frame, this.art);
    if (round !== this.round) return;
    this.windows.clear();
    this.asked.clear();
    this.take(data);
  }

  take(data) {
    Object.assign(this, { data, art: data.art, shot: data.shot, length: data.length });
    this.windows.set(data.range.first, framesOf(data));
    this.come(data);
  }

  startOf(frame) {
    return frame - ((frame - this.shot.first) % this.length);
  }

  // Nothing while its window is on the way.
  drawables(frame) {
    if (!this.shot || frame < this.shot.first || frame > this.shot.last) return [];
    const start = this.startOf(frame);
    this.need(start);
    if (start + this.length - frame <= AHEAD && start + this.length <= this.shot.last) this.need(start + this.length);
    return this.windows.get(start)?.[frame - start] ?? [];
  }

  need(start) {
    if (this.windows.has(start) || this.asked.has(start)) return;
    this.asked.add(start);
    const round = this.round;
    const came = (data) => {
      if (round !== this.round) return null;
      // Of another state of the shot: its artwork is numbered otherwise.
      return data.revision === this.data.revision ? this.take(data) : this.renew(start);
    };
    // Whatever did not come is asked for again when it is looked at again.
    const over = () => this.asked.delete(start);
    this.fetch(start, this.art).then(came).then(over, over);
  }
}
