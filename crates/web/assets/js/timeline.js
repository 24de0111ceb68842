// Time below the picture: ruler, a row for each subject, the weave of the selected pin with its match, or its curves.

import { Curves } from "./curves.js";
import { drawMatch } from "./match.js";
import { drawPace } from "./pace.js";
import { TOP, drawRuler } from "./ruler.js";
import { ROW, drawRow } from "./spans.js";
import { TimeScale } from "./timescale.js";
import { Weave } from "./weave.js";

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
    const [wide, tall] = [Math.round(box.width * ratio), Math.round(box.height * ratio)];
    // A canvas whose size is set gets new memory, also when it had this size.
    if (this.canvas.width !== wide || this.canvas.height !== tall)
      [this.canvas.width, this.canvas.height] = [wide, tall];
    this.scale.fit(state.range, box.width);
    if (moved) this.scale.reveal(state.frame);
    const context = this.context;
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.clearRect(0, 0, box.width, box.height);
    drawRuler(context, this.scale, state, box);
    const rows = state.subjects.length;
    state.subjects.forEach((subject, row) => drawRow(context, this.scale, state, subject, TOP + row * ROW, box));
    this.below = TOP + rows * ROW + 4;
    const height = box.height - this.below - 4;
    if (height > 30 && (state.view === "pace" || !state.pin)) drawPace(context, this.scale, state, this.below, height);
    else if (height > 30) {
      if (state.view === "curves") this.curves.draw(context, this.scale, this.below, height);
      else {
        this.weave.draw(context, this.scale, state.range, this.below, height);
        drawMatch(context, this.scale, state, this.below, height);
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
