// The pins of a subject, how much of their motion counts, and points that they carry.
import Alpine from "../../vendor/alpine-csp.esm.js";

export const MODELS = {
  position: "where it is",
  rotation: "… and how it turns",
  scale: "… and how it grows",
  affine: "… and how it leans",
  perspective: "… and how it tilts in depth",
};

// What moves together with several pins, for each model.
const TOGETHER = {
  position: "position",
  rotation: "turn",
  scale: "turn, growth",
  affine: "turn, growth, lean",
  perspective: "perspective",
};

Alpine.data("pinsPanel", () => ({
  get pinRows() {
    return this.members.map((pin, i) => {
      const spans = this.trackOfPin(pin.id)?.spans() ?? [];
      const text = spans.length ? `frames ${spans[0][0]} to ${spans[spans.length - 1][1]}` : "not followed yet";
      const isArea = Boolean(this.areaOf(pin));
      const removable = this.members.length > 1 && !isArea;
      return {
        id: pin.id,
        number: i + 1,
        text: isArea ? `area, ${text}` : text,
        on: pin.id === this.pin?.id,
        removable,
      };
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
    if (length < 2) return this.area ? `1 area: ${TOGETHER[this.motionModel]}` : "1 pin";
    return `${length} pins: ${TOGETHER[this.motionModel]}`;
  },
  get motionChoices() {
    return this.subject.motions.map((value) => ({ value, text: MODELS[value] }));
  },
  motionChosen(value) {
    this.edit(`Motion of ${this.subject.name}`, {
      edit: "set_motion",
      subject: this.subject.id,
      motion: value || null,
    });
  },
  removePin(id) {
    const number = this.members.findIndex((pin) => pin.id === id) + 1;
    this.edit(`Remove pin ${number} of ${this.subject.name}`, { edit: "remove_pin", pin: id });
  },
  async setKeepOut(on) {
    const { id, name } = this.subject;
    const title = on ? `${name} is a keep-out` : `${name} is no keep-out`;
    const done = await this.edit(title, { edit: "set_keep_out", subject: id, keep_out: on });
    const areas = this.subjects.filter((one) => one.id !== id).flatMap((one) => one.areas ?? []);
    if (done && areas.length)
      this.say("It counts from the next time areas are followed.", false, "Follow them now", () =>
        this.followAreas(areas),
      );
  },
  async followAreas(areas) {
    const directions = ["forward", "backward"];
    for (const { carriers, drawn } of areas)
      await this.send("POST", "/follow", { pin: carriers[0], from: drawn.frame, directions, single: false });
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
}));
