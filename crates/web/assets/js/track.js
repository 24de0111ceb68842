// The samples of one pin, by frame.

const PRESENT = new Set(["found", "guide", "bridged"]);

export class Track {
  constructor() {
    this.samples = new Map();
  }

  static fromColumns(columns) {
    const track = new Track();
    track.add(columns);
    return track;
  }

  add(columns) {
    columns.frame.forEach((frame, i) => {
      this.samples.set(frame, { x: columns.x[i], y: columns.y[i], match: columns.match[i], deviation: columns.deviation[i], state: columns.state[i] });
    });
    this.found = null;
  }

  // Replaces everything from `first` to `last`.
  merge(columns, first, last) {
    for (let frame = first; frame <= last; frame++) this.samples.delete(frame);
    this.add(columns);
  }

  get(frame) {
    return this.samples.get(frame) ?? null;
  }

  frames() {
    this.found ??= [...this.samples.keys()].filter((frame) => PRESENT.has(this.samples.get(frame).state)).sort((a, b) => a - b);
    return this.found;
  }

  count() {
    return this.frames().length;
  }

  // Runs of frames without a hole, as [first, last].
  spans() {
    const spans = [];
    for (const frame of this.frames()) {
      const span = spans[spans.length - 1];
      if (span && span[1] + 1 === frame) span[1] = frame;
      else spans.push([frame, frame]);
    }
    return spans;
  }

  guides() {
    return this.frames().filter((frame) => this.samples.get(frame).state === "guide");
  }

  // The sample nearest in time.
  nearest(frame) {
    const near = this.frames().reduce((best, other) => (best === null || Math.abs(other - frame) < Math.abs(best - frame) ? other : best), null);
    return near === null ? null : this.get(near);
  }
}
