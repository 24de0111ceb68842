// The pointer on the picture: what a click does, and everything that can be dragged. While something is dragged it is
// shown where the pointer takes it; on letting go it is one edit, and the server's answer replaces it.

import { dragFace, faceText, isFaceGrab } from "./face_drags.js";
import { forms } from "./settings.js";

const copy = (value) => JSON.parse(JSON.stringify(value));

const STEP = Math.PI / 12; // Of a turn with Shift.
const DOUBLE = 400; // Two clicks on one thing within so many milliseconds are a double click.

export class Pointer {
  constructor(bench, { player, overlay }, stage, note) {
    Object.assign(this, { bench, player, overlay, stage, note, drag: null });
    this.bind();
  }

  bind() {
    const stage = this.stage;
    const at = (event) => {
      const box = stage.getBoundingClientRect();
      return { x: event.clientX - box.left, y: event.clientY - box.top };
    };
    stage.addEventListener(
      "wheel",
      (event) => {
        event.preventDefault();
        const { x, y } = at(event);
        this.player.zoom(Math.exp(-event.deltaY * 0.002), x, y);
      },
      { passive: false },
    );
    stage.addEventListener("pointerdown", (event) => {
      if (event.target.closest(".notice, .lost") || event.button > 1) return;
      this.drag = this.startDrag(event, at(event));
      stage.setPointerCapture(event.pointerId);
    });
    // The browser's own dragging of what is selected would cancel ours.
    stage.addEventListener("dragstart", (event) => event.preventDefault());
    stage.addEventListener("pointermove", (event) => {
      const place = at(event);
      if (this.drag) this.drag.move(place, event);
      this.hint(place, event);
    });
    const end = (event) => {
      const drag = this.drag;
      this.drag = null;
      drag?.end(at(event), event.type === "pointercancel", event);
    };
    stage.addEventListener("pointerup", end);
    stage.addEventListener("pointercancel", end);
    stage.addEventListener("pointerleave", () => (this.note.hidden = true));
  }

  // Something has become known about the place under the pointer.
  again() {
    if (this.last && !this.note.hidden) this.write(...this.last);
  }

  // What a click does is written beside the pointer.
  hint(place, event) {
    this.last = [place, event];
    const wanted = !this.drag && !event.target.dataset?.grab && this.bench.wantsPin && !this.bench.outlining;
    if (wanted) this.bench.spotAt(this.player.toPicture(place.x, place.y));
    this.write(place, event);
  }

  write({ x, y }, event) {
    const grab = this.bench.byHand ? null : event.target.dataset?.grab;
    if (this.bench.linking) return this.writeAt({ x, y }, event, this.bench.linkingText);
    if (this.bench.outlining) return this.writeAt({ x, y }, event, this.bench.outliningText);
    const texts = {
      point: "Drag: correct it on this frame",
      pattern: "Drag: size of the pattern",
      search: "Drag: size of the search area",
      grow: "Drag: larger or smaller",
      turn: "Drag: turn it; with Shift in steps of 15°",
      attachment: "Click: its settings. Drag: move it; it keeps following",
      pin: "Click: this pin",
      carried: "Drag: correct it on this frame, it counts for all",
    };
    const wanted = !this.drag && !grab && this.bench.wantsPin;
    const text = this.drag
      ? ""
      : (texts[grab] ?? faceText(grab) ?? (wanted ? this.placeText(event) : this.besideText(grab)));
    this.writeAt({ x, y }, event, text);
  }

  writeAt({ x, y }, event, text) {
    const note = this.note;
    note.hidden = !text || this.bench.playing || Boolean(event.target.closest(".notice, .lost"));
    note.textContent = text;
    const left = Math.min(x + 16, this.stage.clientWidth - note.offsetWidth - 4);
    note.style.transform = `translate(${left}px, ${Math.max(0, y - 30)}px)`;
  }

  besideText(grab) {
    return this.bench.leavesHere && !grab ? `Click: leave ${this.bench.subject.name}` : "";
  }

  placeText(event) {
    const spot = this.bench.spotText;
    if (this.bench.byHand) return this.bench.byHandText;
    if (this.bench.adding) return this.bench.addingText;
    if (this.bench.placingHere) return `Click: it is here on frame ${this.bench.frame}`;
    if (this.bench.handing) return "Click: this leads from here on";
    if (event.shiftKey) return "Shift + click: take the best spot near";
    return spot ? `Click: follow this (${spot})` : "Click: follow this";
  }

  startDrag(event, from) {
    const grab = event.button === 0 && !this.bench.byHand ? event.target.dataset?.grab : null;
    if (this.bench.linking) return this.linkOrMove(grab, from, event);
    if (this.bench.outlining) return this.dragGround(from, event);
    if (isFaceGrab(grab))
      return dragFace(this.bench, this.player, { dataset: event.target.dataset, altKey: event.altKey }, from);
    if (grab === "point") return this.dragPoint(from);
    if (grab === "pattern" || grab === "search") return this.dragSize(grab);
    if (grab === "pin") return this.pickPin(event.target.dataset.pin);
    if (grab === "carried") return this.dragCarried(from, event.target.dataset.point);
    if (grab === "grow" || grab === "turn") return this.dragHandle(grab, from, event.target.dataset.attachment);
    if (grab === "attachment") return this.dragAttachment(from, event.target.dataset.attachment);
    return this.dragGround(from, event);
  }

  dragPoint(from) {
    const start = { x: this.bench.sample.x, y: this.bench.sample.y };
    let last = from;
    const place = { ...start };
    return {
      move: (to, event) => {
        const scale = (event.shiftKey ? 0.1 : 1) / this.player.view.scale;
        place.x += (to.x - last.x) * scale;
        place.y += (to.y - last.y) * scale;
        last = to;
        this.bench.dragPlace = { ...place };
        this.bench.repaint();
      },
      end: async (_, cancelled) => {
        const moved = Math.hypot(place.x - start.x, place.y - start.y) > 0.01;
        if (moved && !cancelled) {
          await this.bench.setGuide(place.x, place.y);
        }
        this.bench.dragPlace = null;
        this.bench.repaint();
      },
    };
  }

  // While a boundary line is linked, pins, corners of areas and carried points are its corners.
  linkOrMove(grab, from, event) {
    const { pin, point } = event.target.dataset ?? {};
    const corner = {
      pin: () => ({ pin }),
      corner: () => ({ pin }),
      carried: () => ({ point }),
      point: () => ({ pin: this.bench.pin.id }),
    }[grab]?.();
    if (!corner) return this.dragGround(from, event);
    return { move: () => {}, end: (_, cancelled) => !cancelled && this.bench.link(corner) };
  }

  pickPin(id) {
    return { move: () => {}, end: (_, cancelled) => !cancelled && this.bench.pickPin(id) };
  }

  dragCarried(from, id) {
    const { place } = this.bench.carriedHere().find((one) => one.id === id);
    const to = (at) => ({
      x: place.x + (at.x - from.x) / this.player.view.scale,
      y: place.y + (at.y - from.y) / this.player.view.scale,
    });
    return {
      move: (at) => {
        this.bench.dragCarried = { id, place: to(at) };
        this.bench.repaint();
      },
      end: async (at, cancelled) => {
        if (!cancelled && Math.hypot(at.x - from.x, at.y - from.y) > 1)
          await this.bench.placePoint(to(at).x, to(at).y, id);
        this.bench.dragCarried = null;
        this.bench.repaint();
      },
    };
  }

  dragSize(kind) {
    const pin = copy(this.bench.pin);
    const centre = this.bench.sample;
    return {
      move: (to) => {
        const place = this.player.toPicture(to.x, to.y);
        const half = [Math.abs(place.x - centre.x), Math.abs(place.y - centre.y)];
        const [least, most] = forms.pin[kind];
        const within = (side) => Math.min(most, Math.max(least, side));
        if (kind === "pattern") pin.pattern = half.map((h) => within(2 * Math.round(h - 0.5) + 1));
        else pin.search = half.map((h, i) => within(Math.round(h - pin.pattern[i] / 2)));
        this.bench.dragPin = pin;
        this.bench.repaint();
      },
      end: async (_, cancelled) => {
        if (this.bench.dragPin && !cancelled)
          await this.bench.putPinSettings(
            { pattern: pin.pattern, search: pin.search },
            kind === "pattern" ? "Size of the pattern" : "Size of the search area",
          );
        this.bench.dragPin = null;
        this.bench.repaint();
      },
    };
  }

  dragAttachment(from, id) {
    const shift = { of: id, x: 0, y: 0 };
    const start = this.player.toPicture(from.x, from.y);
    return {
      move: (to) => {
        const now = this.player.toPicture(to.x, to.y);
        Object.assign(shift, { x: now.x - start.x, y: now.y - start.y });
        this.overlay.scene.shift = shift;
        this.bench.repaint();
      },
      end: async (to, cancelled, { timeStamp }) => {
        const moved = Math.hypot(to.x - from.x, to.y - from.y) > 1;
        if (moved && !cancelled) return this.bench.dragged(id, start, this.player.toPicture(to.x, to.y));
        this.overlay.scene.shift = null;
        const owner = this.bench.subjects.find((one) => one.attachments.some((other) => other.id === id));
        this.bench.select(owner.id);
        this.bench.openFromPicture(id);
        // When the hand did it, not when the page came to it.
        const again = this.clicked?.id === id && timeStamp - this.clicked.at < DOUBLE;
        this.clicked = { id, at: timeStamp };
        if (again && this.bench.isLabel) this.bench.$nextTick(() => this.bench.focusOn("label-text"));
      },
    };
  }

  // Larger by how much further from its middle the pointer gets, turned by how far round it.
  dragHandle(grab, from, id) {
    const about = this.overlay.grabs.middle;
    const place = ({ x, y }) => this.player.toPicture(x, y);
    const [reach, angle] = [
      (at) => Math.hypot(at.x - about.x, at.y - about.y),
      (at) => Math.atan2(at.y - about.y, at.x - about.x),
    ];
    const start = place(from);
    const shift = { of: id, x: 0, y: 0, factor: 1, turn: 0, about };
    const to = (at, event) => {
      const now = place(at);
      if (grab === "grow") shift.factor = Math.min(20, Math.max(0.05, reach(now) / Math.max(1, reach(start))));
      else
        shift.turn = event.shiftKey ? Math.round((angle(now) - angle(start)) / STEP) * STEP : angle(now) - angle(start);
    };
    return {
      move: (at, event) => {
        to(at, event);
        this.overlay.scene.shift = shift;
        this.bench.repaint();
      },
      end: async (_, cancelled) => {
        const changed = Math.abs(shift.factor - 1) > 0.005 || Math.abs(shift.turn) > 0.002;
        if (changed && !cancelled) return this.bench.reshaped(id, shift.factor, (shift.turn * 180) / Math.PI);
        this.overlay.scene.shift = null;
        this.bench.repaint();
      },
    };
  }

  // Nothing is outlined yet: a drag draws a box, with Shift an oval; a click is the first corner.
  dragBox(from) {
    const start = this.player.toPicture(from.x, from.y);
    const far = (to) => Math.hypot(to.x - from.x, to.y - from.y) > 6;
    return {
      move: (to, event) => far(to) && this.bench.boxOutlined(start, this.player.toPicture(to.x, to.y), event.shiftKey),
      end: (to, cancelled) => {
        if (cancelled) return this.bench.dropOutline();
        if (far(to)) return this.bench.endOutline();
        this.bench.outlineTo(start.x, start.y);
      },
    };
  }

  // On the ground: a click puts a pin where one is wanted, a drag moves the view.
  dragGround(from, event) {
    if (this.bench.outlining?.points.length === 0 && event.button === 0) return this.dragBox(from);
    let last = from;
    let moved = event.button === 1;
    return {
      move: (to) => {
        if (!moved && Math.hypot(to.x - from.x, to.y - from.y) < 4) return;
        moved = true;
        this.bench.panning = true;
        this.player.pan(to.x - last.x, to.y - last.y);
        last = to;
      },
      end: (to, cancelled, released) => {
        this.bench.panning = false;
        if (moved || cancelled) return;
        const exact = this.player.toPicture(to.x, to.y);
        if (this.bench.outlining) return this.bench.outlineTo(exact.x, exact.y);
        if (this.bench.leavesHere) {
          this.bench.leaveSubject();
          return this.hint(to, released);
        }
        if (!this.bench.wantsPin) return this.bench.openId && this.bench.openAttachment(null);
        const place = event.shiftKey ? this.bench.snapped(exact) : exact;
        this.bench.putPin(place.x, place.y);
      },
    };
  }
}
