// The boundary line of the selected subject: its corners clicked in order on pins and carried points, and its look.
import Alpine from "../vendor/alpine-csp.esm.js";

const EASINGS = {
  linear: { first: [0, 0], second: [1, 1] },
  ease_in_out: { first: [0.42, 0], second: [0.58, 1] },
  ease_in: { first: [0.42, 0], second: [1, 1] },
  ease_out: { first: [0, 0], second: [0.58, 1] },
};
const copy = (value) => JSON.parse(JSON.stringify(Alpine.raw(value)));
const same = (a, b) => JSON.stringify(a) === JSON.stringify(b);
const idOf = (corner) => corner.pin ?? corner.point;

export const bounding = () => ({
  linking: null, // Corners clicked so far.

  get boundary() {
    return this.subject?.attachments.find((one) => one.kind === "boundary") ?? null;
  },
  get boundaryText() {
    const { length } = this.boundary.corners;
    return `${length} corners, ${this.boundary.closed ? "closed" : "open"}`;
  },
  get linkingText() {
    if (!this.linking) return "";
    const { length } = this.linking;
    if (length === 0) return "Click the pins and carried points in order";
    return length < 3 ? `${length} linked: click the next` : `${length} linked: the first again closes it, Enter leaves it open`;
  },
  get edgeChoices() {
    const { corners, closed } = this.boundary;
    const edges = closed ? corners.length : corners.length - 1;
    return Array.from({ length: edges }, (_, i) => ({ value: i, chosen: this.labelPlace === String(i), text: `on the line from corner ${i + 1}` }));
  },
  get labelPlace() {
    return this.boundary.label_at === "middle" ? "middle" : String(this.boundary.label_at.edge);
  },
  get easingName() {
    return Object.keys(EASINGS).find((name) => same(EASINGS[name], this.boundary.drawing.easing)) ?? "own";
  },
  get boundaryStrength() {
    return Math.round(this.boundary.show.opacity * 100);
  },
  get tintStrength() {
    return Math.round((this.boundary.tint?.opacity ?? 0.25) * 100);
  },

  beginLinking() {
    if (!this.subject) return;
    if (this.members.length + this.subject.points.length < 2) {
      this.say("A boundary line needs two corners or more: put another pin, or a carried point, on the subject first.");
      return;
    }
    this.adding = null;
    this.linking = [];
    this.repaint();
  },
  // A pin or a carried point was clicked.
  link(corner) {
    const { linking } = this;
    if (linking.length > 2 && idOf(linking[0]) === idOf(corner)) return this.endLinking(true);
    if (linking.some((one) => idOf(one) === idOf(corner))) return;
    this.linking = [...linking, corner];
    this.repaint();
  },
  async endLinking(closed) {
    const corners = copy(this.linking);
    this.linking = null;
    this.repaint();
    if (corners.length < 2) return;
    const old = this.boundary && copy(this.boundary);
    const fresh = {
      id: crypto.randomUUID(), kind: "boundary", width: 5, on_ground: false, label: null, label_at: "middle",
      drawing: { on_frames: 10, off_frames: 10, easing: EASINGS.ease_in_out, goes_back: false },
    };
    const attachment = { ...(old ?? fresh), corners, closed };
    await this.edit(old ? "Other corners of the boundary line" : "Boundary line", { edit: "put_attachment", subject: this.subject.id, attachment });
  },
  // Where the corners clicked so far are on the frame in view.
  linkedPlaces() {
    if (!this.linking) return null;
    const marks = new Map([...this.carriedHere(), ...this.pinsHere()].map((one) => [one.id, one.place]));
    return this.linking.map((corner) => marks.get(idOf(corner))).filter(Boolean);
  },

  putBoundary(change, title = "Change the boundary line") {
    const attachment = { ...copy(this.boundary), ...change };
    return this.edit(title, { edit: "put_attachment", subject: this.subject.id, attachment });
  },
  boundaryTyped(what, value) {
    const { drawing, show, tint, glow, label } = copy(this.boundary);
    const number = Number(value);
    const whole = Math.max(0, Math.round(number));
    this.putBoundary({
      width: () => ({ width: number }),
      colour: () => ({ colour: value }),
      on_ground: () => ({ on_ground: value }),
      softness: () => ({ softness: number }),
      dash: () => ({ dashes: number > 0 ? [number, this.boundary.dashes?.[1] ?? number] : null }),
      gap: () => ({ dashes: this.boundary.dashes ? [this.boundary.dashes[0], number] : null }),
      glow: () => ({ glow: value ? { colour: "#ffffff", reach: 14, opacity: 0.6 } : null }),
      glow_colour: () => ({ glow: { ...glow, colour: value } }),
      glow_reach: () => ({ glow: { ...glow, reach: number } }),
      marks: () => ({ marks: number }),
      tint: () => ({ tint: value ? { colour: "#56b4e9", opacity: 0.25 } : null }),
      tint_colour: () => ({ tint: { ...tint, colour: value } }),
      tint_opacity: () => ({ tint: { ...tint, opacity: number / 100 } }),
      on_frames: () => ({ drawing: { ...drawing, on_frames: whole } }),
      off_frames: () => ({ drawing: { ...drawing, off_frames: whole } }),
      easing: () => ({ drawing: { ...drawing, easing: EASINGS[value] ?? drawing.easing } }),
      goes_back: () => ({ drawing: { ...drawing, goes_back: value } }),
      first: () => ({ show: { ...show, first: value === "" ? null : whole } }),
      last: () => ({ show: { ...show, last: value === "" ? null : whole } }),
      opacity: () => ({ show: { ...show, opacity: number / 100 } }),
      blend: () => ({ show: { ...show, blend: value } }),
      on: () => ({ show: { ...show, on: value } }),
      text: () => ({ label: value.trim() === "" ? null : { ...(label ?? { font: "sans", size: 26, colour: "#ffffff", box: null, line_width: null, fade_frames: 0 }), text: value } }),
      text_size: () => ({ label: { ...label, size: number } }),
      text_colour: () => ({ label: { ...label, colour: value } }),
      label_at: () => ({ label_at: value === "middle" ? "middle" : { edge: Number(value) } }),
    }[what]());
  },
  // It is drawn from the corner after the first.
  turnCorners() {
    const corners = copy(this.boundary.corners);
    this.putBoundary({ corners: [...corners.slice(1), corners[0]] }, "Draw the boundary line from the next corner");
  },
  removeBoundary() {
    this.edit("Remove the boundary line", { edit: "remove_attachment", subject: this.subject.id, attachment: this.boundary.id });
  },
});
