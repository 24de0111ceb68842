// Pictures by frame number: fetched ahead, shown exactly, played at the film's own times.

const KEPT = 60; // Decoded pictures in memory: 60 of 1280x720 are 220 MB.
const AHEAD = 14; // Frames fetched before they are needed.
const AT_ONCE = 6; // Requests at a time.
const CATCH_UP = 3; // Frames by which playing may be behind before some are left out.
const MAX_ZOOM = 16;

// Where a view puts a place of the picture on the stage.
export function place({ scale, turn, x, y }, px, py) {
  const [cos, sin] = [Math.cos(turn), Math.sin(turn)];
  return { x: x + scale * (cos * px - sin * py), y: y + scale * (sin * px + cos * py) };
}

export class Player {
  constructor(canvas, events) {
    this.canvas = canvas;
    this.context = canvas.getContext("2d", { alpha: false });
    this.events = events;
    this.pictures = new Map();
    this.loading = new Map();
    this.frame = 0;
    this.shown = -1;
    this.playing = null;
    this.dropped = 0;
    this.view = { scale: 1, turn: 0, x: 0, y: 0 }; // From picture to stage: turned (radians, clockwise), scaled, moved.
    this.fitted = true;
    this.full = null;
    this.overIt = null; // Paints over the picture.
    this.redrawing = null;
    this.beforePlaying = null; // Makes what that needs while it plays.
    this.hold = null; // Gives the view for a frame, when it goes with something.
  }

  open(clip, range) {
    this.clip = clip;
    this.range = range;
    this.size = { width: clip.width, height: clip.height };
    this.resize();
  }

  resize() {
    const box = this.canvas.getBoundingClientRect();
    const ratio = window.devicePixelRatio || 1;
    this.canvas.width = Math.max(1, Math.round(box.width * ratio));
    this.canvas.height = Math.max(1, Math.round(box.height * ratio));
    this.box = { width: box.width, height: box.height, ratio };
    if (this.fitted) this.fit();
    else this.viewChanged();
  }

  fit() {
    const { width, height } = this.size;
    const scale = Math.min((this.box.width - 24) / width, (this.box.height - 24) / height, MAX_ZOOM);
    this.view = { scale, turn: 0, x: (this.box.width - width * scale) / 2, y: (this.box.height - height * scale) / 2 };
    this.fitted = true;
    this.viewChanged();
  }

  // Zooms so that the place under the pointer (x, y on the stage) stays where it is.
  zoom(factor, x = this.box.width / 2, y = this.box.height / 2) {
    const least = Math.min(this.box.width / this.size.width, this.box.height / this.size.height) / 4;
    const scale = Math.min(MAX_ZOOM, Math.max(least, this.view.scale * factor));
    const ratio = scale / this.view.scale;
    this.view = { ...this.view, scale, x: x - (x - this.view.x) * ratio, y: y - (y - this.view.y) * ratio };
    this.fitted = false;
    this.viewChanged();
  }

  pan(dx, dy) {
    this.view = { ...this.view, x: this.view.x + dx, y: this.view.y + dy };
    this.fitted = false;
    this.viewChanged();
  }

  // Moves the view so that a place of the picture is in the middle.
  centre(x, y) {
    const at = this.toStage(x, y);
    this.pan(this.box.width / 2 - at.x, this.box.height / 2 - at.y);
  }

  toStage(x, y) {
    return place(this.view, x, y);
  }

  toPicture(x, y) {
    const { scale, turn } = this.view;
    const [dx, dy] = [(x - this.view.x) / scale, (y - this.view.y) / scale];
    const [cos, sin] = [Math.cos(turn), Math.sin(turn)];
    return { x: cos * dx + sin * dy, y: cos * dy - sin * dx };
  }

  viewChanged() {
    this.events.moved?.();
    this.draw();
    this.wantFull();
    this.events.view();
  }

  // Goes to a frame; it is shown as soon as its picture is there.
  go(frame) {
    this.frame = Math.min(this.range.last, Math.max(this.range.first, Math.round(frame)));
    this.full = null;
    this.draw();
    this.fetchAround(this.frame, 4, 2);
    this.wantFull();
    this.events.frame(this.frame);
  }

  draw() {
    const picture = this.pictures.get(this.frame);
    const { context, box } = this;
    if (!box || !this.size) return;
    if (!picture && this.shown < 0) return;
    const shown = picture ?? this.pictures.get(this.shown);
    if (!shown) return;
    if (this.hold) this.view = this.hold(picture ? this.frame : this.shown, this.view, box);
    const { view } = this;
    const source = this.full && this.full.frame === this.frame ? this.full.picture : shown;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.fillStyle = "#6b6b6b";
    context.fillRect(0, 0, this.canvas.width, this.canvas.height);
    context.setTransform(box.ratio, 0, 0, box.ratio, 0, 0);
    context.imageSmoothingEnabled = view.scale < 5;
    context.imageSmoothingQuality = this.playing ? "low" : "high";
    context.translate(view.x, view.y);
    context.rotate(view.turn);
    context.drawImage(source, 0, 0, this.size.width * view.scale, this.size.height * view.scale);
    const isNew = picture && this.shown !== this.frame;
    if (isNew) {
      this.shown = this.frame;
      this.events.shown(this.frame);
    }
    this.overIt?.(context);
    cancelAnimationFrame(this.redrawing);
    this.redrawing = null;
  }

  // With what has changed over the picture, once for all that asks for it before it is next seen.
  redraw() {
    this.redrawing ??= requestAnimationFrame(() => this.draw());
  }

  // A close look deserves the full picture, not the small copy.
  wantFull() {
    clearTimeout(this.fullTimer);
    const picture = this.pictures.get(this.frame);
    if (this.playing || !picture || picture.width >= this.size.width) return;
    const ratio = this.box.ratio;
    if (this.view.scale * ratio * this.size.width <= picture.width * 1.05) return;
    this.fullTimer = setTimeout(async () => {
      const frame = this.frame;
      if (this.full?.frame === frame) return;
      const picture = await this.load(`/clips/${this.clip.id}/frames/${frame}.full.jpg`).catch(() => null);
      if (picture && frame === this.frame) {
        this.full = { frame, picture };
        this.draw();
      }
    }, 200);
  }

  // Past the browser's cache: it writes every picture to disk, and a disk that is busy stops the film. The server has
  // them at hand.
  async load(address) {
    const response = await fetch(address, { cache: "no-store" });
    if (!response.ok) throw new Error(`picture: ${response.status}`);
    return createImageBitmap(await response.blob());
  }

  fetchAround(frame, ahead, behind) {
    for (let i = 0; i <= ahead; i++) this.want(frame + i);
    for (let i = 1; i <= behind; i++) this.want(frame - i);
  }

  want(frame) {
    if (frame < this.range.first || frame > this.range.last) return;
    if (this.pictures.has(frame) || this.loading.has(frame)) return;
    if (this.loading.size >= AT_ONCE && frame !== this.frame) return;
    const job = this.load(`/clips/${this.clip.id}/frames/${frame}.jpg`)
      .then((picture) => this.keep(frame, picture))
      .catch(() => frame === this.frame && setTimeout(() => this.want(frame), 500))
      .finally(() => this.loading.delete(frame));
    this.loading.set(frame, job);
  }

  keep(frame, picture) {
    this.pictures.set(frame, picture);
    if (this.pictures.size > KEPT) this.forgetFarthest();
    if (frame === this.frame || this.shown < 0) this.draw();
    if (frame === this.frame) this.wantFull();
    if (this.playing) this.fetchAround(this.playing.target, AHEAD, 0);
  }

  forgetFarthest() {
    const distance = (frame) => (frame < this.frame - 2 ? 1e6 + this.frame - frame : Math.abs(frame - this.frame));
    let farthest = null;
    for (const frame of this.pictures.keys()) {
      if (frame !== this.shown && (farthest === null || distance(frame) > distance(farthest))) farthest = frame;
    }
    this.pictures.get(farthest)?.close();
    this.pictures.delete(farthest);
  }

  async play() {
    if (this.playing) return;
    const from = this.frame >= this.range.last ? this.range.first : this.frame;
    this.go(from);
    this.dropped = 0;
    this.playing = { target: from, start: null, shownCount: 0, begun: performance.now() };
    this.events.playing(true);
    await this.beforePlaying?.();
    const begun = performance.now();
    while (this.playing && !this.ready(from, 8) && performance.now() - begun < 2000) {
      this.fetchAround(from, AHEAD, 0);
      await new Promise((resolve) => setTimeout(resolve, 15));
    }
    // What is painted first takes longest: the clock runs from the second time on.
    for (let i = 0; i < 2 && this.playing; i++) {
      this.draw();
      await new Promise(requestAnimationFrame);
    }
    if (!this.playing) return;
    this.playing.start = performance.now();
    this.playing.from = from;
    const tick = () => {
      if (!this.playing) return;
      this.advance();
      if (this.playing) this.playing.request = requestAnimationFrame(tick);
    };
    tick();
  }

  ready(from, count) {
    for (let i = 0; i < count && from + i <= this.range.last; i++) if (!this.pictures.has(from + i)) return false;
    return true;
  }

  advance() {
    const { playing, clip } = this;
    const times = clip.times;
    const now = (performance.now() - playing.start) * 1000 + times[playing.from];
    let target = playing.target;
    while (target < this.range.last && times[target + 1] <= now) target++;
    playing.target = target;
    this.fetchAround(target, AHEAD, 0);
    // A little late, each frame is still shown in its turn; later than that, they are left out.
    const next = target - this.frame <= CATCH_UP ? Math.min(target, this.frame + 1) : target;
    if (next !== this.frame && this.pictures.has(next)) {
      // Every frame that was jumped over was never seen.
      this.dropped += Math.max(0, next - this.frame - 1);
      playing.shownCount++;
      this.frame = next;
      this.full = null;
      this.draw();
      this.events.frame(next);
    }
    const end = times[this.range.last + 1] ?? times[this.range.last] + 40000;
    if (this.frame >= this.range.last && now >= end) this.pause();
    else if (target >= this.range.last && now >= end + 2e6) this.pause();
  }

  pause() {
    if (!this.playing) return;
    const { start, shownCount } = this.playing;
    cancelAnimationFrame(this.playing.request);
    this.playing = null;
    const seconds = start === null ? 0 : (performance.now() - start) / 1000;
    this.measured = { seconds, shown: shownCount, dropped: this.dropped };
    this.events.playing(false);
    this.draw();
    this.wantFull();
  }
}
