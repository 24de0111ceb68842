// Time below the picture: ruler, a row for each subject, the weave of the selected pin with its match, or its curves.

import { Curves } from "./curves.js";
import { drawPace } from "./pace.js";
import { TimeScale } from "./timescale.js";
import { Weave } from "./weave.js";

const TOP = 30;
const ROW = 28;

export class Timeline {
  // `acts`: go(frame), range(first, last) or range(null), curves: what the curve view needs to change keyframes.
  constructor(canvas, element, acts) {
    this.canvas = canvas;
    this.element = element;
    this.acts = acts;
    this.context = canvas.getContext("2d");
    this.scale = new TimeScale();
    this.weave = new Weave(() => this.again());
    this.curves = new Curves();
    this.bind();
  }

  bind() {
    const { element } = this;
    element.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      element.setPointerCapture(event.pointerId);
      this.drag = this.startDrag(this.at(event), event);
    });
    element.addEventListener("pointermove", (event) => this.drag?.move(this.at(event)));
    const end = (event) => {
      const drag = this.drag;
      this.drag = null;
      drag?.end?.(this.at(event), event.type === "pointercancel");
    };
    element.addEventListener("pointerup", end);
    element.addEventListener("pointercancel", end);
    element.addEventListener("dblclick", (event) => {
      const at = this.at(event);
      if (this.state.view === "curves" && at.y > this.below) this.acts.addKey(this.scale.frameAt(at.x));
      else if (at.y < TOP) this.showAll();
    });
    element.addEventListener(
      "wheel",
      (event) => {
        event.preventDefault();
        if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY))
          this.scale.pan(event.deltaX || event.deltaY);
        else this.scale.zoomAt(this.at(event).x, Math.exp(-event.deltaY * 0.003));
        this.again();
      },
      { passive: false },
    );
  }

  at(event) {
    const box = this.element.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  }

  showAll() {
    this.scale.zoom = 1;
    this.scale.keepInside();
    this.again();
  }

  // On the ruler the playhead is dragged; below it a range. A click goes to its frame.
  startDrag(from, event) {
    const frame = this.scale.frameAt(from.x);
    if (from.y < TOP) {
      this.acts.go(this.nearNote(from) ?? frame);
      return { move: (to) => this.acts.go(this.scale.frameAt(to.x)) };
    }
    const found =
      this.state.view === "curves" && from.y > this.below ? this.curves.under(this.scale, from.x, from.y) : null;
    if (found) return this.dragKey(found, from, event.shiftKey);
    const anchor =
      event.shiftKey && this.state.chosen
        ? frame < this.state.chosen.first
          ? this.state.chosen.last
          : this.state.chosen.first
        : frame;
    let moved = event.shiftKey;
    return {
      move: (to) => {
        if (!moved && Math.abs(to.x - from.x) < 5) return;
        moved = true;
        const other = this.scale.frameAt(to.x);
        this.acts.range({ first: Math.min(anchor, other), last: Math.max(anchor, other) });
        if (this.state.view === "curves") this.pickWithin(anchor, other);
      },
      end: () => {
        if (!moved) {
          this.acts.range(null);
          this.curves.picked.clear();
          this.acts.keysPicked();
          this.acts.go(this.nearPennant(from) ?? frame);
        }
      },
    };
  }

  // A range dragged over the curves picks the keyframes in it.
  pickWithin(one, other) {
    const inside = (frame) => frame >= Math.min(one, other) && frame <= Math.max(one, other);
    this.curves.picked = new Set((this.curves.path?.keys ?? []).map((key) => key.frame).filter(inside));
    this.acts.keysPicked();
  }

  // The frame of a note's flag under the pointer.
  nearNote({ x }) {
    const near = ({ frame }) => Math.abs(this.scale.x(frame + 0.5) + 4 - x) < 8;
    return this.state.notes?.find(near)?.frame ?? null;
  }

  // The frame of a pennant under the pointer.
  nearPennant({ x, y }) {
    if (this.state.view !== "pace" || y < this.below) return null;
    const frames = [...(this.state.pace?.changes ?? []), ...(this.state.picturePace?.changes ?? [])];
    return frames.find((frame) => Math.abs(this.scale.x(frame + 0.5) + 4 - x) < 9) ?? null;
  }

  dragKey(found, from, more) {
    const { picked } = this.curves;
    const frame = found.key?.frame;
    if (found.key && more) picked.has(frame) ? picked.delete(frame) : picked.add(frame);
    else if (found.key && !picked.has(frame)) this.curves.picked = new Set([frame]);
    this.acts.keysPicked();
    let [changed, held] = [null, null];
    return {
      move: (to) => {
        if (!changed && Math.hypot(to.x - from.x, to.y - from.y) < 3) return;
        held ??= { ...found, keys: this.curves.pickedKeys };
        changed = this.curves.dragged(held, this.scale, from, to) ?? changed;
        if (changed) this.acts.keysDragged(changed, false);
      },
      end: (_, cancelled) => {
        if (changed && !cancelled) this.acts.keysDragged(changed, true);
        else if (!changed && found.key && !more) this.acts.go(frame);
      },
    };
  }

  x(frame) {
    return this.scale.x(frame);
  }
  get perFrame() {
    return this.scale.perFrame;
  }

  again() {
    if (this.state) this.draw(this.state);
  }

  draw(state) {
    const moved = state.frame !== this.state?.frame;
    this.state = state;
    this.range = state.range;
    const box = this.element.getBoundingClientRect();
    const ratio = window.devicePixelRatio || 1;
    this.canvas.width = Math.round(box.width * ratio);
    this.canvas.height = Math.round(box.height * ratio);
    this.scale.fit(state.range, box.width);
    if (moved) this.scale.reveal(state.frame);
    const context = this.context;
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.clearRect(0, 0, box.width, box.height);
    this.ruler(state, box);
    const rows = state.subjects.length;
    state.subjects.forEach((subject, row) => this.row(state, subject, TOP + row * ROW, box));
    this.below = TOP + rows * ROW + 4;
    const height = box.height - this.below - 4;
    if (height > 30 && (state.view === "pace" || !state.pin)) drawPace(context, this.scale, state, this.below, height);
    else if (height > 30) {
      if (state.view === "curves") this.curves.draw(context, this.scale, this.below, height);
      else {
        this.weave.draw(context, this.scale, state.range, this.below, height);
        this.curve(state, this.below, height);
      }
    }
    this.chosen(state, box);
    this.playhead(state, box);
  }

  // The range that mending and cleaning act on.
  chosen({ chosen }, box) {
    if (!chosen) return;
    const context = this.context;
    const [from, to] = [this.x(chosen.first), this.x(chosen.last + 1)];
    context.fillStyle = "rgba(86, 180, 233, 0.28)";
    context.fillRect(from, TOP - 4, to - from, box.height);
    context.fillStyle = "#0b4f8a";
    context.fillRect(from - 1, TOP - 4, 2, box.height);
    context.fillRect(to - 1, TOP - 4, 2, box.height);
  }

  ruler(state, box) {
    const context = this.context;
    const { first, last } = this.range;
    context.fillStyle = "#ebe6da";
    context.fillRect(0, 0, box.width, TOP - 4);
    // What is not prepared yet is hatched.
    if (state.prepared <= last) {
      context.fillStyle = "#cfc8b8";
      context.fillRect(
        this.x(Math.max(first, state.prepared)),
        0,
        this.x(last + 1) - this.x(Math.max(first, state.prepared)),
        TOP - 4,
      );
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
    // What was found to be one, and is none: a short mark at which it can be made one again.
    for (const frame of state.noCuts) context.fillRect(Math.round(this.x(frame)) - 1, 0, 2, 8);
    for (const note of state.notes ?? []) this.flag(note);
    for (const person of state.people ?? []) this.person(person);
  }

  // Somebody else is on this frame.
  person({ frame, initial }) {
    const context = this.context;
    const x = this.x(frame + 0.5);
    context.fillStyle = "#0b4f8a";
    context.beginPath();
    context.arc(x, 8, 7, 0, 2 * Math.PI);
    context.fill();
    context.fillRect(x - 0.75, 14, 1.5, TOP - 18);
    context.fillStyle = "#fff";
    context.textAlign = "center";
    context.fillText(initial, x, 12);
    context.textAlign = "start";
  }

  // A note: a sheet with a folded corner, filled while it is open.
  flag({ frame, done }) {
    const context = this.context;
    const x = Math.round(this.x(frame + 0.5));
    context.beginPath();
    for (const [dx, y] of [
      [0, 3],
      [6, 3],
      [10, 7],
      [10, 14],
      [0, 14],
    ])
      context.lineTo(x + dx, y);
    context.closePath();
    context.fillStyle = done ? "#fffdf8" : "#a63a17";
    context.fill();
    context.strokeStyle = "#22272b";
    context.lineWidth = 1;
    context.stroke();
    context.fillStyle = "#22272b";
    context.fillRect(x - 1, 3, 1.5, TOP - 8);
  }

  row(state, subject, top, box) {
    const context = this.context;
    if (top > box.height) return;
    const selected = subject.id === state.selected;
    context.fillStyle = selected ? "#f0ebe0" : "#fffdf8";
    context.fillRect(0, top, box.width, ROW);
    context.fillStyle = "#d8d2c4";
    context.fillRect(0, top + ROW - 1, box.width, 1);
    const track = state.trackOf(subject);
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
      context.strokeRect(
        this.x(span[0]) + 0.5,
        middle - 4.5,
        Math.max(1, this.x(span[1] + 1) - this.x(span[0]) - 1),
        9,
      );
    }
    for (const [first, last] of track.roughRuns()) this.rough(this.x(first), this.x(last + 1), middle);
    for (const run of track.runs(["hidden", "outside"])) this.absence(run, middle);
    for (const [first, last] of track.runs(["bridged"])) this.bridged(this.x(first), this.x(last + 1), middle);
    for (const frame of track.guides()) this.diamond(this.x(frame + 0.5), middle);
  }

  // Rough: only the lower half of the bar is left.
  rough(from, to, middle) {
    const context = this.context;
    context.fillStyle = "#fffdf8";
    context.fillRect(from, middle - 5, Math.max(1, to - from), 5);
    context.fillStyle = "rgba(0,0,0,0.45)";
    context.fillRect(from, middle - 1, Math.max(1, to - from), 1);
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
    if (state === "hidden")
      for (const x of [from + 1, to - 1]) (context.moveTo(x, middle - 4), context.lineTo(x, middle + 4));
    context.stroke();
    context.setLineDash([]);
  }

  // Bridged: hollow, with the deck alone in colour.
  bridged(from, to, middle) {
    const context = this.context;
    context.fillStyle = "#fffdf8";
    context.fillRect(from, middle - 4, to - from, 5);
    context.strokeStyle = "rgba(0, 0, 0, 0.45)";
    context.strokeRect(from + 0.5, middle - 4.5, Math.max(1, to - from - 1), 9);
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

  // Match over the weave: 50 % at the bottom, 100 % at the top, the threshold, if one is set, dashed. Light on dark, as
  // it lies on a picture.
  curve(state, top, height) {
    const { pin, track } = state;
    if (!track) return;
    const context = this.context;
    const y = (match) => top + 3 + (height - 6) * (1 - (Math.max(0.5, match) - 0.5) * 2);
    const both = (width, colour) => {
      context.lineWidth = width;
      context.strokeStyle = colour;
      context.stroke();
    };
    // A threshold that a person has set; otherwise the solve has its own for each shot.
    if (pin.stop_below !== null) {
      context.setLineDash([4, 4]);
      context.beginPath();
      context.moveTo(0, y(pin.stop_below));
      context.lineTo(this.scale.width, y(pin.stop_below));
      both(3, "rgba(0, 0, 0, 0.4)");
      both(1, "#ffd9c7");
      context.setLineDash([]);
    }
    for (const [first, last] of track.spans()) {
      context.beginPath();
      let before = false;
      for (let frame = first; frame <= last; frame++) {
        const sample = track.get(frame);
        // A bridge has no match, and what is rough is not compared with the pattern.
        if (sample.state === "bridged" || sample.rough) before = false;
        else {
          context[before ? "lineTo" : "moveTo"](this.x(frame + 0.5), y(sample.match));
          before = true;
        }
      }
      both(3.5, "rgba(0, 0, 0, 0.55)");
      both(1.5, "#f0e442");
    }
    // Hidden and outside: hatched; bridged: a bar below.
    for (const [first, last, what] of track.runs(["hidden", "outside", "bridged"]))
      this.gap(first, last, what, top, height);
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
    this.caption("match", this.scale.width - 62, y(1) + 12);
    if (pin.stop_below === null) return;
    this.caption(
      `stops below ${Math.round(pin.stop_below * 100)} %`,
      this.scale.width - 118,
      Math.min(y(pin.stop_below) + 12, top + height - 5),
    );
  }

  caption(text, x, y) {
    const context = this.context;
    context.font = '11px "Public Sans", sans-serif';
    context.fillStyle = "rgba(20, 22, 24, 0.66)";
    context.fillRect(x - 5, y - 11, context.measureText(text).width + 10, 15);
    context.fillStyle = "#fff";
    context.fillText(text, x, y);
  }

  gap(first, last, what, top, height) {
    const context = this.context;
    const [from, to] = [this.x(first), this.x(last + 1)];
    if (what === "bridged") {
      context.fillStyle = "#56b4e9";
      context.fillRect(from, top + height - 5, to - from, 5);
      return;
    }
    context.save();
    context.beginPath();
    context.rect(from, top, to - from, height);
    context.clip();
    context.fillStyle = "rgba(107, 107, 107, 0.55)";
    context.fillRect(from, top, to - from, height);
    context.strokeStyle = "rgba(255, 255, 255, 0.6)";
    context.lineWidth = 1;
    context.beginPath();
    for (let x = from - height; x < to; x += 7) (context.moveTo(x, top + height), context.lineTo(x + height, top));
    context.stroke();
    context.restore();
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
