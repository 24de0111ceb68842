// The boundary line of the selected subject: its corners clicked in order on pins and carried points.
import { copy } from "./copy.js";
import { forms } from "./settings.js";

export const cornerId = (corner) => corner.pin ?? corner.point;

export const bounding = () => ({
  linking: null, // Corners clicked so far.
  relinking: false, // Whether they become those of the line that is open.
  get linkingText() {
    if (!this.linking) return "";
    const { length } = this.linking;
    if (length === 0) return "Click the pins and carried points in order";
    return length < 3
      ? `${length} linked: click the next`
      : `${length} linked: the first again closes it, Enter leaves it open`;
  },
  beginLinking(again = false) {
    if (!this.subject) return;
    this.relinking = again;
    if (this.linkable.length < 2) {
      this.say("A boundary line needs two corners or more: put another pin, or a carried point, on the subject first.");
      return;
    }
    this.adding = this.outlining = this.reshaping = null;
    this.linking = [];
    this.repaint();
  },
  // A pin or a carried point was clicked.
  link(corner) {
    const { linking } = this;
    if (linking.length > 2 && cornerId(linking[0]) === cornerId(corner)) return this.endLinking(true);
    if (linking.some((one) => cornerId(one) === cornerId(corner))) return;
    this.linking = [...linking, corner];
    this.repaint();
  },
  async endLinking(closed) {
    const corners = copy(this.linking);
    this.linking = null;
    this.repaint();
    if (corners.length < 2) return;
    // While a boundary line is open its corners are linked anew; else it is another line.
    const old = this.isBoundary && this.relinking ? copy(this.attached) : null;
    const fresh = { ...copy(forms.fresh.boundary), id: crypto.randomUUID(), kind: "boundary" };
    const attachment = { ...(old ?? fresh), corners, closed };
    await this.hang(attachment, old ? "Other corners of the boundary line" : "Boundary line");
  },
  // Where the corners clicked so far are on the frame in view.
  linkedPlaces() {
    if (!this.linking) return null;
    const marks = new Map([...this.carriedHere(), ...this.pinsHere()].map((one) => [one.id, one.place]));
    const place = (id) => marks.get(id) ?? this.trackOfPin(id)?.get(this.frame);
    return this.linking.map((corner) => place(cornerId(corner))).filter(Boolean);
  },
});
