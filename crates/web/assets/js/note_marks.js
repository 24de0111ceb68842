// Where notes point at in the picture: a numbered ring, with an arrow where one was drawn.
import { make } from "./svg.js";

const RING = 11;
const HEAD = 9; // Length of an arrow's head.

export class NoteMarks {
  constructor(svg, player) {
    this.player = player;
    this.group = make("g", { class: "note-marks" }, svg);
  }

  // Those of the frame in view, and the one that is being written.
  paint(notes, draft) {
    this.group.replaceChildren();
    for (const note of notes) if (note.mark) this.mark(note.mark, note.number, note.done);
    if (draft) this.mark(draft, "", false);
  }

  mark({ at, from }, number, done) {
    const tip = this.player.toStage(...at);
    if (!from) return this.ring(tip, number, done);
    const tail = this.player.toStage(...from);
    const length = Math.hypot(tip.x - tail.x, tip.y - tail.y) || 1;
    const [ux, uy] = [(tip.x - tail.x) / length, (tip.y - tail.y) / length];
    const barb = (side) => `${tip.x - HEAD * (ux - side * uy * 0.6)} ${tip.y - HEAD * (uy + side * ux * 0.6)}`;
    const d = `M${tail.x} ${tail.y}L${tip.x} ${tip.y}M${barb(1)}L${tip.x} ${tip.y}L${barb(-1)}`;
    make("path", { class: "dark", d, "stroke-width": 5 }, this.group);
    make("path", { class: "light", d, "stroke-width": 2.5 }, this.group);
    this.ring(tail, number, done);
  }

  ring({ x, y }, number, done) {
    make("circle", { class: done ? "note done" : "note", cx: x, cy: y, r: RING }, this.group);
    make("text", { class: "note", x, y: y + 4 }, this.group).textContent = done ? "✓" : number;
  }
}
