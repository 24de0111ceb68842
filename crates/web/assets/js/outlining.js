// A closed line drawn round something: clicked corner by corner, or put down under a crosshair. What becomes of it is
// asked when it is closed.
import { copy } from "./copy.js";
import { polygon } from "./face.js";

const CLOSE = 10; // A click so near to the first corner, in CSS pixels, closes it.
const OVAL = 8; // Points of an oval.
const LAID = "Click the four corners of the face, from the top left of what is read on it";
const ROUND = {
  front: "what stands in front",
  area: "the face",
  keep_out: "what is to be left out",
  all_but: "what is to stay as it is",
};

export const outlining = (parts) => ({
  // Corners so far, in the picture, and what they go round: "front", "area", "keep_out", "all_but", or a "face" that the open
  // attachment is to lie on. `on` is the subject that gets it.
  outlining: null,

  beginOutline(what, on = this.selected) {
    const isOver = this.outlining?.what === what;
    this.adding = this.linking = this.cursor = this.reshaping = null;
    this.outlining = isOver ? null : { what, on, points: [], curved: false };
    this.forgetSpot();
    this.$refs.picture.focus();
    this.repaint();
  },
  isOutlining(what) {
    return this.outlining?.what === what;
  },
  get outliningText() {
    const { what, points } = this.outlining;
    const { length } = points;
    if (what === "face") return length ? `${4 - length} more corners, clockwise` : LAID;
    if (length === 0) return `Click round ${ROUND[what]}; or drag a box, with Shift an oval`;
    return length < 3 ? `${length} corners: click the next` : `${length} corners: the first again, or Enter, closes it`;
  },
  outlineTo(x, y) {
    const { points } = this.outlining;
    const near = CLOSE / parts.player.view.scale;
    if (points.length > 2 && Math.hypot(points[0].x - x, points[0].y - y) < near) return this.endOutline();
    this.outlining = { ...this.outlining, points: [...points, { x, y }] };
    if (this.outlining.what === "face" && points.length === 3) return this.endOutline();
    parts.pointer.again();
    this.repaint();
  },
  // From one corner to the other.
  boxOutlined(from, to, oval) {
    const [x, y] = [(from.x + to.x) / 2, (from.y + to.y) / 2];
    const [across, down] = [Math.abs(to.x - from.x) / 2, Math.abs(to.y - from.y) / 2];
    const at = (angle) => ({ x: x + across * Math.cos(angle), y: y + down * Math.sin(angle) });
    const round = Array.from({ length: OVAL }, (_, i) => at((i * 2 * Math.PI) / OVAL));
    const corners = [
      { x: x - across, y: y - down },
      { x: x + across, y: y - down },
      { x: x + across, y: y + down },
      { x: x - across, y: y + down },
    ];
    const { what } = this.outlining;
    const isOval = oval && what !== "face";
    this.outlining = { ...this.outlining, points: isOval ? round : corners, curved: isOval };
    this.repaint();
  },
  outlineToCursor() {
    this.outlineTo(this.cursor.x, this.cursor.y);
  },
  endOutline() {
    const { what, on, points, curved } = copy(this.outlining);
    this.outlining = this.cursor = null;
    this.$refs.hint.hidden = true;
    this.repaint();
    if (points.length < 3) return this.leaveOutline(what, on);
    const outline = { points, curved };
    if (what === "face") this.layOn(points);
    else if (what === "front") this.addFront(polygon(outline));
    else if (what === "all_but") this.coverWithin(polygon(outline), this.frame, true);
    else if (what === "keep_out") this.keepOut(outline);
    else this.addArea(outline, on);
  },
  // Given up: what was selected before is selected again.
  leaveOutline(what, on) {
    if (what !== "area" || on) return;
    this.placing = false;
    if (!this.selected && this.subjects.length) this.select(this.subjects[0].id);
  },
  dropOutline() {
    const { what, on } = this.outlining;
    this.outlining = this.cursor = null;
    this.leaveOutline(what, on);
    this.repaint();
  },
});
