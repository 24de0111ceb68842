// Time below the picture: ruler, a row for each subject, the match curve of the selected one.

const TOP = 30;
const ROW = 28;

export class Timeline {
  constructor(canvas, element, go) {
    this.canvas = canvas;
    this.element = element;
    this.context = canvas.getContext("2d");
    element.addEventListener("pointerdown", (event) => {
      element.setPointerCapture(event.pointerId);
      this.dragging = true;
      go(this.frameAt(event));
    });
    element.addEventListener("pointermove", (event) => this.dragging && go(this.frameAt(event)));
    element.addEventListener("pointerup", () => (this.dragging = false));
    element.addEventListener("pointercancel", () => (this.dragging = false));
  }

  frameAt(event) {
    const box = this.element.getBoundingClientRect();
    return this.range.first + ((event.clientX - box.left - this.left) / this.perFrame - 0.5);
  }

  get left() {
    return 10;
  }

  x(frame) {
    return this.left + (frame - this.range.first) * this.perFrame;
  }

  draw(state) {
    this.range = state.range;
    const box = this.element.getBoundingClientRect();
    const ratio = window.devicePixelRatio || 1;
    this.canvas.width = Math.round(box.width * ratio);
    this.canvas.height = Math.round(box.height * ratio);
    const count = this.range.last - this.range.first + 1;
    this.perFrame = (box.width - 2 * this.left) / count;
    const context = this.context;
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.clearRect(0, 0, box.width, box.height);
    this.ruler(state, box);
    state.subjects.forEach((subject, row) => this.row(state, subject, TOP + row * ROW, box));
    this.curve(state, box);
    this.playhead(state, box);
  }

  ruler(state, box) {
    const context = this.context;
    const { first, last } = this.range;
    context.fillStyle = "#ebe6da";
    context.fillRect(0, 0, box.width, TOP - 4);
    // What is not prepared yet is hatched.
    if (state.prepared <= last) {
      context.fillStyle = "#cfc8b8";
      context.fillRect(this.x(Math.max(first, state.prepared)), 0, this.x(last + 1) - this.x(Math.max(first, state.prepared)), TOP - 4);
    }
    const steps = [1, 2, 5, 10, 20, 25, 50, 100, 200, 250, 500, 1000, 2000, 5000, 10000];
    const step = steps.find((s) => s * this.perFrame >= 58) ?? 20000;
    context.fillStyle = "#22272b";
    context.font = '11px "Public Sans", sans-serif';
    context.textBaseline = "alphabetic";
    for (let frame = Math.ceil(first / step) * step; frame <= last; frame += step) {
      const x = this.x(frame);
      context.fillRect(Math.round(x), 16, 1, TOP - 20);
      context.fillText(String(frame), x + 4, 14);
    }
    context.fillStyle = "#86290b";
    for (const cut of state.cuts) {
      context.fillRect(Math.round(this.x(cut)) - 1, 0, 2, box.height);
      context.fillText("cut", this.x(cut) + 4, 24);
    }
  }

  row(state, subject, top, box) {
    const context = this.context;
    if (top > box.height) return;
    const selected = subject.id === state.selected;
    context.fillStyle = selected ? "#f0ebe0" : "#fffdf8";
    context.fillRect(0, top, box.width, ROW);
    context.fillStyle = "#d8d2c4";
    context.fillRect(0, top + ROW - 1, box.width, 1);
    const track = subject.pins.length ? state.tracks.get(subject.pins[0].id) : null;
    if (!track) return;
    const middle = top + ROW / 2;
    for (const span of track.spans()) {
      context.fillStyle = state.colours[subject.colour];
      // What is only the live pass is pale.
      context.globalAlpha = track.isSolved() ? 1 : 0.45;
      context.fillRect(this.x(span[0]), middle - 5, Math.max(2, this.x(span[1] + 1) - this.x(span[0])), 10);
      context.globalAlpha = 1;
      context.strokeStyle = "rgba(0,0,0,0.45)";
      context.lineWidth = 1;
      context.strokeRect(this.x(span[0]) + 0.5, middle - 4.5, Math.max(1, this.x(span[1] + 1) - this.x(span[0]) - 1), 9);
    }
    for (const run of track.runs(["hidden", "outside"])) this.absence(run, middle);
    for (const frame of track.guides()) this.diamond(this.x(frame + 0.5), middle);
  }

  // Hidden: a thin line with posts at its ends. Outside: dots.
  absence([first, last, state], middle) {
    const context = this.context;
    const [from, to] = [this.x(first), this.x(last + 1)];
    context.strokeStyle = "#595750";
    context.lineWidth = 1.5;
    context.setLineDash(state === "outside" ? [1.5, 4] : []);
    context.beginPath();
    context.moveTo(from, middle);
    context.lineTo(to, middle);
    if (state === "hidden") for (const x of [from + 1, to - 1]) (context.moveTo(x, middle - 4), context.lineTo(x, middle + 4));
    context.stroke();
    context.setLineDash([]);
  }

  diamond(x, y) {
    const context = this.context;
    context.beginPath();
    context.moveTo(x, y - 8);
    context.lineTo(x + 6, y);
    context.lineTo(x, y + 8);
    context.lineTo(x - 6, y);
    context.closePath();
    context.fillStyle = "#fff";
    context.fill();
    context.strokeStyle = "#000";
    context.lineWidth = 1.5;
    context.stroke();
  }

  // Match over time: 50 % at the bottom, 100 % at the top, the threshold dashed.
  curve(state, box) {
    const subject = state.subjects.find((one) => one.id === state.selected);
    const pin = subject?.pins[0];
    const track = pin && state.tracks.get(pin.id);
    const top = TOP + state.subjects.length * ROW + 8;
    const height = box.height - top - 6;
    if (!track || height < 20) return;
    const context = this.context;
    const y = (match) => top + height * (1 - (Math.max(0.5, match) - 0.5) * 2);
    context.fillStyle = "#f5f2eb";
    context.fillRect(0, top, box.width, height);
    context.setLineDash([4, 4]);
    context.strokeStyle = "#86290b";
    context.lineWidth = 1;
    context.beginPath();
    context.moveTo(0, y(pin.stop_below));
    context.lineTo(box.width, y(pin.stop_below));
    context.stroke();
    context.setLineDash([]);
    context.strokeStyle = "#22272b";
    context.lineWidth = 1.5;
    for (const [first, last] of track.spans()) {
      context.beginPath();
      for (let frame = first; frame <= last; frame++) context.lineTo(this.x(frame + 0.5), y(track.get(frame).match));
      context.stroke();
    }
    // What is worth a look: a small flag at the top.
    for (const { frame } of state.doubts) {
      const x = this.x(frame + 0.5);
      context.fillStyle = "#86290b";
      context.beginPath();
      context.moveTo(x - 4, top);
      context.lineTo(x + 4, top);
      context.lineTo(x, top + 7);
      context.fill();
    }
    context.fillStyle = "#595750";
    context.font = '11px "Public Sans", sans-serif';
    context.fillText("match", 12, top + 12);
    const label = `stops below ${Math.round(pin.stop_below * 100)} %`;
    context.fillText(label, box.width - context.measureText(label).width - 12, Math.min(y(pin.stop_below) + 12, top + height - 3));
  }

  playhead(state, box) {
    const context = this.context;
    const x = this.x(state.frame);
    context.fillStyle = "rgba(166, 58, 23, 0.16)";
    context.fillRect(x, TOP - 4, Math.max(1, this.perFrame), box.height);
    context.fillStyle = "#a63a17";
    const middle = x + this.perFrame / 2;
    context.fillRect(Math.round(middle) - 1, 0, 2, box.height);
    context.beginPath();
    context.moveTo(middle - 6, 0);
    context.lineTo(middle + 6, 0);
    context.lineTo(middle, 9);
    context.fill();
  }
}
