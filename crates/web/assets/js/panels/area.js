// How an area is followed: its outline, what is kept out, how much of its motion counts.
import Alpine from "../../vendor/alpine-csp.esm.js";
import { MODELS } from "./pins.js";

Alpine.data("areaPanel", () => ({
  get areaMotions() {
    return Object.entries(MODELS).map(([value, text]) => ({ value, text }));
  },
  get areaMotion() {
    return this.area?.motion ?? "";
  },
  areaMotionChosen(value) {
    this.changeArea({ do: "motion", motion: value || null });
  },
  get areaBends() {
    return this.area?.bends ?? "";
  },
  bendsChosen(value) {
    this.changeArea({ do: "bend", bends: value || null });
  },
  setBrush(what, value) {
    if (what === "width") this.brush.width = Math.min(200, Math.max(1, Number(value) || this.brush.width));
    else this.brush.colour = value;
  },
  get homeFrame() {
    return this.area?.drawn.frame ?? "";
  },
  get brushText() {
    if (this.strokes.length) return "Keep what is painted";
    return this.brushing ? "Put the brush away" : "Paint on it";
  },
  get areaText() {
    if (!this.area) return "";
    const { drawn, moved = [] } = this.area;
    const others = moved.map(({ frame }) => frame).join(", ");
    return `Drawn on frame ${drawn.frame}${others ? `; another part of it from frame ${others}` : ""}.`;
  },
  get reshapeText() {
    if (this.reshaping) return "Done";
    return this.area?.drawn.frame === this.frame ? "Change the outline" : "Another part from here";
  },
  get reshapeHelp() {
    return this.reshaping ? "Drag a corner; drag a plus to add one; with Alt a click on a corner takes it off." : "";
  },
  get curved() {
    return this.area ? this.outlineInForce(this.area, this.frame).outline.curved : false;
  },
  setCurved(on) {
    const place = this.outlineInForce(this.area, this.frame);
    const outline = { points: Alpine.raw(place.outline).points, curved: on };
    this.changeArea({ do: "outline", frame: place.frame, outline });
  },
  get movedHere() {
    return (this.area?.moved ?? []).some(({ frame }) => frame === this.frame);
  },
  goOnAsBefore() {
    this.changeArea({ do: "go_on_as_before", frame: this.frame });
  },
  get keepOutRows() {
    return (this.area?.keep_outs ?? []).map(({ id, placed, rides_on }, i) => {
      const carrier = this.subjects.find((one) => one.id === rides_on);
      const frames = placed.map(({ frame }) => frame).join(", ");
      const text = carrier ? `goes with ${carrier.name}` : placed.length > 1 ? `on frames ${frames}` : "on all frames";
      return { id, name: `Keep-out ${i + 1}`, text, carrier: rides_on ?? "" };
    });
  },
  get carriers() {
    const text = (one) => (one.id === this.selected ? "goes with this face" : `goes with ${one.name}`);
    return this.subjects.map((one) => ({ id: one.id, text: text(one) }));
  },
  carryKeepOut(id, rides_on) {
    this.changeArea({ do: "carry_keep_out", id, rides_on: rides_on || null });
  },
  removeKeepOut(id) {
    this.changeArea({ do: "remove_keep_out", id });
  },
  removeArea() {
    const isAll = this.subject.pins.length === this.area.carriers.length;
    if (isAll) this.removeSubject();
    else this.changeArea({ do: "remove" });
  },
}));
