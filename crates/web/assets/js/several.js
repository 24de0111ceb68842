// Several pins on one subject, and points that they carry: put down, picked, dragged.
import { withoutCorners } from "./areas.js";
import { isPresent } from "./track.js";

export const several = (parts) => ({
  pickedPin: null,
  adding: null, // "pin" or "point": what the next click puts on the subject.
  offOthers: new Map(),
  dragCarried: null,

  // Every pin of the subject that is no hand-over has a say in its motion; of an area's only the middle is shown.
  get members() {
    const own = this.subject ? withoutCorners(this.subject) : [];
    return own.filter((pin) => this.subject.members.includes(pin.id));
  },
  trackOfPin(id) {
    return (this.samplesSeen, parts.tracks.get(id) ?? null);
  },
  get motionModel() {
    return (this.pathSeen && parts.path?.model) || "position";
  },

  pickPin(id) {
    this.pickedPin = id;
    parts.holdAt = null;
    this.forgetSpot();
    this.repaint();
    this.patchesSoon();
    this.refreshDoubts();
  },
  nextPin() {
    const { members } = this;
    if (members.length < 2) return;
    const at = members.findIndex((pin) => pin.id === this.pin?.id);
    this.pickPin(members[(at + 1) % members.length].id);
  },

  // The next click puts another pin, or a carried point, on the same subject; so does every one after it, until Esc.
  addOn(what) {
    if (!this.subject) return;
    this.adding = this.adding === what ? null : what;
    this.$refs.picture.focus();
    this.repaint();
  },
  get addingText() {
    if (this.adding === "pin") return `Click: pin ${this.members.length + 1} of ${this.subject.name}. Esc: enough`;
    return `Click: a point that the pins carry, seen or not. Esc: enough`;
  },
  async addPin(x, y) {
    const body = { frame: this.seenFrame(), x, y, follow: true, on: this.subject.id };
    const answer = await this.send("POST", "/pins", body);
    if (answer) this.pickPin(answer.made.pin);
  },
  placePoint(x, y, point = null) {
    return this.send("POST", `/subjects/${this.subject.id}/points`, {
      frame: this.seenFrame(),
      at: { x, y },
      point,
    });
  },
  // Where the carried points are on the frame shown.
  carriedHere() {
    const path = parts.path;
    const index = path?.points?.length ? path.frame.indexOf(parts.player.shown) : -1;
    if (index < 0) return [];
    const places = path.points.map((point, i) => ({
      id: point.id,
      letter: "abcdefghijklmnopqrstuvwxyz"[i % 26],
      byEye: point.by_eye,
      place: { x: point.x[index], y: point.y[index] },
    }));
    const moved = this.dragCarried;
    return places
      .filter(({ place }) => place.x !== null)
      .map((one) => (moved?.id === one.id ? { ...one, place: moved.place } : one));
  },
  otherPinsHere() {
    return this.pinsHere().filter((one) => one.id !== this.pin?.id);
  },
  pinsHere() {
    const places = this.members.map((pin, i) => ({
      id: pin.id,
      number: i + 1,
      place: parts.tracks.get(pin.id)?.get(this.frame),
    }));
    return places.filter((one) => isPresent(one.place?.state));
  },
  keepOff({ frame, distance }) {
    this.offOthers = new Map(frame.map((on, i) => [on, distance[i]]));
  },
});
