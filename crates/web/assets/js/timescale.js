// Frames to places across, zoomed and moved: shared by everything that is drawn along time.

const MARGIN = 10;
const CLOSEST = 40; // Pixels a frame at most.

export class TimeScale {
  constructor() {
    this.range = { first: 0, last: 0 };
    this.width = 1;
    this.zoom = 1;
    this.start = 0; // First frame in view, counted from the shot's first; may lie between frames.
  }

  fit(range, width) {
    const other = range.first !== this.range.first || range.last !== this.range.last;
    this.range = range;
    this.width = width;
    if (other) this.zoom = 1;
    this.keepInside();
  }

  get count() {
    return this.range.last - this.range.first + 1;
  }
  get perFrame() {
    return ((this.width - 2 * MARGIN) / this.count) * this.zoom;
  }

  x(frame) {
    return MARGIN + (frame - this.range.first - this.start) * this.perFrame;
  }

  // The frame under a place, within the shot.
  frameAt(x) {
    const frame = Math.floor((x - MARGIN) / this.perFrame + this.start) + this.range.first;
    return Math.min(this.range.last, Math.max(this.range.first, frame));
  }

  // Zooms so that what is under `x` stays there.
  zoomAt(x, factor) {
    const under = (x - MARGIN) / this.perFrame + this.start;
    const most = Math.max(1, CLOSEST / ((this.width - 2 * MARGIN) / this.count));
    this.zoom = Math.min(most, Math.max(1, this.zoom * factor));
    this.start = under - (x - MARGIN) / this.perFrame;
    this.keepInside();
  }

  pan(pixels) {
    this.start += pixels / this.perFrame;
    this.keepInside();
  }

  // Moves so that a frame can be seen.
  reveal(frame) {
    if (this.zoom === 1) return;
    const at = frame - this.range.first;
    const seen = this.count / this.zoom;
    if (at < this.start || at > this.start + seen - 1) this.start = at - seen / 2;
    this.keepInside();
  }

  keepInside() {
    this.start = Math.min(this.count - this.count / this.zoom, Math.max(0, this.start));
  }
}
