// What can be done to a range of frames, the gaps of the pin, and hand-overs.
import Alpine from "../../vendor/alpine-csp.esm.js";
import { withoutCorners } from "../areas.js";

Alpine.data("mendPanel", () => ({
  get targetText() {
    const { first, last } = this.target;
    return first === last ? `Frame ${first}` : `Frames ${first} to ${last} (${last - first + 1})`;
  },
  get mendText() {
    const { length } = this.gapRows;
    if (this.chosen) return this.targetText;
    return length ? `${length} ${length === 1 ? "gap" : "gaps"}` : "no gaps";
  },
  get riders() {
    return this.subjects.flatMap((one) =>
      withoutCorners(one)
        .map((pin, i, all) => ({ id: pin.id, name: all.length > 1 ? `${one.name} (${i + 1})` : one.name }))
        .filter((pin) => pin.id !== this.pin?.id),
    );
  },
  rideOn(other) {
    if (other) this.doRange({ do: "bridge", how: "riding", other });
  },
  // At its velocity, or as another pin moves.
  carryOn(other) {
    this.doRange({ do: "carry_on", other: other || null });
  },
  showRange() {
    this.doRange({ do: "show" });
  },
  solveRange() {
    this.doRange({ do: "solve" });
  },
  // The span ends, or starts, on the frame in view: it is away on all others of that side.
  endHere() {
    if (this.frame < this.last) this.changeRange({ first: this.frame + 1, last: this.last }, { do: "hide" });
  },
  startHere() {
    if (this.frame > this.first) this.changeRange({ first: this.first, last: this.frame - 1 }, { do: "hide" });
  },

  // The next click puts the pin on another feature of the same subject, which leads from this frame on.
  beginHandOver() {
    if (!this.subject) return;
    this.handing = true;
    this.say(
      "Click on another feature of the same subject: from this frame on it leads, and the path goes on without a jump.",
    );
    this.repaint();
  },
  get handOverRows() {
    return (this.subject?.hand_overs ?? []).map((over) => ({
      key: over.from,
      from: over.from,
      text: `led by another feature from frame ${over.from}`,
    }));
  },
  removeHandOver(row) {
    const over = this.subject.hand_overs.find((one) => one.from === row.from);
    this.edit(`Take back the hand-over of ${this.subject.name}`, { edit: "remove_pin", pin: over.pin });
  },
}));
