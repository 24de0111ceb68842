// The pins of a subject, how much of their motion counts, and points that they carry.

const MODELS = {
  position: "where it is",
  rotation: "… and how it turns",
  scale: "… and how it grows",
  affine: "… and how it leans",
  perspective: "… and how it tilts in depth",
};
const ALLOWED = ["position", "position", "scale", "affine", "perspective"];

// What moves together with several pins, for each model.
const TOGETHER = {
  position: "position",
  rotation: "turn",
  scale: "turn, growth",
  affine: "turn, growth, lean",
  perspective: "perspective",
};

export const several = (parts) => ({
  pickedPin: null,
  adding: null, // "pin" or "point": what the next click puts on the subject.
  offOthers: new Map(),
  dragCarried: null,

  // Every pin of the subject that is no hand-over has a say in its motion.
  get members() {
    const leads = new Set(this.subject?.hand_overs.map((over) => over.pin));
    return this.subject?.pins.filter((pin, i) => i === 0 || !leads.has(pin.id)) ?? [];
  },
  get pinRows() {
    return this.members.map((pin, i) => {
      const spans = (this.samplesSeen, parts.tracks.get(pin.id)?.spans()) ?? [];
      const text = spans.length ? `frames ${spans[0][0]} to ${spans[spans.length - 1][1]}` : "not followed yet";
      return { id: pin.id, number: i + 1, text, on: pin.id === this.pin?.id, removable: this.members.length > 1 };
    });
  },
  get offText() {
    const off = this.offOthers.get(this.frame);
    return this.members.length < 2 || off === undefined
      ? ""
      : `This pin is ${off.toFixed(2)} px from where the others take it.`;
  },
  get motionText() {
    const { length } = this.members;
    if (length < 2) return "1 pin";
    return `${length} pins: ${TOGETHER[this.motionModel]}`;
  },
  get motionModel() {
    return (this.pathSeen && parts.path?.model) || "position";
  },
  get motionChoices() {
    const most = ALLOWED[Math.min(4, this.members.length)];
    const names = Object.keys(MODELS);
    return names.slice(0, names.indexOf(most) + 1).map((value) => ({ value, text: MODELS[value] }));
  },
  motionChosen(value) {
    this.edit(`Motion of ${this.subject.name}`, {
      edit: "set_motion",
      subject: this.subject.id,
      motion: value || null,
    });
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
  removePin(id) {
    const number = this.members.findIndex((pin) => pin.id === id) + 1;
    this.edit(`Remove pin ${number} of ${this.subject.name}`, { edit: "remove_pin", pin: id });
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
    const body = { frame: this.frame, x, y, follow: true, on: this.subject.id };
    const answer = await this.send("POST", "/pins", body);
    if (answer) this.pickPin(answer.made.pin);
  },
  placePoint(x, y, point = null) {
    return this.send("POST", `/subjects/${this.subject.id}/points`, { frame: this.frame, at: { x, y }, point });
  },
  get pointRows() {
    this.pathSeen;
    return (this.subject?.points ?? []).map((point, i) => {
      const frames = point.placed.map((place) => place.frame).join(", ");
      return {
        id: point.id,
        name: `Point ${"abcdefghijklmnopqrstuvwxyz"[i % 26]}`,
        text: point.by_eye ? "put down by eye" : `corrected on ${frames}`,
      };
    });
  },
  removePoint(id) {
    this.edit(`Remove a carried point of ${this.subject.name}`, {
      edit: "remove_point",
      subject: this.subject.id,
      point: id,
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
    return places.filter((one) => ["found", "guide", "bridged"].includes(one.place?.state));
  },
  keepOff({ frame, distance }) {
    this.offOthers = new Map(frame.map((on, i) => [on, distance[i]]));
  },
});
