// The areas of the selected subject: drawn, seen on the frame in view, put by hand, reshaped.
import { applied, boxOf, mapBetween, polygon } from "./face.js";
import { throughNet } from "./nets.js";
import { isPresent } from "./track.js";

// The pins of a subject without those that are only corners of its areas.
export const withoutCorners = ({ pins, areas = [] }) =>
  pins.filter((pin) => !areas.some((area) => area.carriers.indexOf(pin.id) > 0));

export const faces = (parts) => ({
  reshaping: null, // The area whose outline is changed on the frame in view.
  gridPlays: false, // Whether the grid rides on while it plays.
  dragFace: null, // What is dragged of an area, with where it is now.

  get areas() {
    return this.subject?.areas ?? [];
  },
  areaOf(pin) {
    return this.areas.find((area) => area.carriers.includes(pin?.id)) ?? null;
  },
  // The area of the pin that is picked.
  get area() {
    return this.areaOf(this.pin);
  },

  // --- drawing ------------------------------------------------------------------------------------------------------

  newArea() {
    this.selected = null;
    this.placing = true;
    this.beginOutline("area", null);
  },
  anotherArea() {
    if (this.subject) this.beginOutline("area");
  },
  async addArea(outline, on) {
    if (!on) this.beginAhead();
    const answer = await this.send("POST", "/areas", { frame: this.frame, outline, on });
    if (!answer) {
      if (!on) this.refuseAhead();
      this.leaveOutline("area", on);
      return;
    }
    if (on) return this.pickPin(answer.made.pin);
    this.select(answer.made.subject);
    this.$nextTick(() => this.endAhead(this.focusOn("subject-name")));
  },

  // --- where it is --------------------------------------------------------------------------------------------------

  // The corners of an area's box on a frame; nothing where that is not known.
  cornersOn(area, frame) {
    const corners = area.carriers.slice(1).map((pin) => parts.tracks.get(pin)?.get(frame));
    return corners.every(Boolean) ? corners : null;
  },
  // From the picture of one frame to that of another, as the area goes.
  mapOfArea(area, from, to) {
    const [a, b] = [this.cornersOn(area, from), this.cornersOn(area, to)];
    return a && b && mapBetween(a, b);
  },
  // The outline that counts on a frame, and the frame on which it was drawn.
  outlineInForce({ drawn, moved = [] }, frame) {
    const home = drawn.frame;
    const [after, before] = [
      moved.filter((place) => home < place.frame && place.frame <= frame),
      moved.filter((place) => frame <= place.frame && place.frame < home),
    ];
    return after.at(-1) ?? before[0] ?? drawn;
  },
  seenOn(area, place, frame) {
    const map = place.frame === frame ? null : this.mapOfArea(area, place.frame, frame);
    if (place.frame !== frame && !map) return null;
    const outline = place.outline ?? place;
    return { ...outline, points: map ? outline.points.map((point) => applied(map, point)) : outline.points };
  },
  // Where a keep-out is on a frame: carried, or between two frames on which it was drawn.
  keepOutOn(area, keepOut, frame) {
    const { placed, rides_on } = keepOut;
    const before = placed.findLast((place) => place.frame <= frame);
    const next = placed.find((place) => place.frame > frame);
    if (rides_on) {
      const place = before ?? next;
      const carrier = this.subjects.find((one) => one.id === rides_on);
      const lead = carrier?.areas?.[0];
      if (rides_on === this.selected) return this.seenOn(area, place, frame);
      if (lead) return this.seenOn(lead, place, frame);
      const track = parts.tracks.get(carrier && this.leader(carrier)?.id);
      const [a, b] = [track?.get(place.frame), track?.get(frame)];
      if (!a || !b) return null;
      const moved = ({ x, y }) => ({ x: x + b.x - a.x, y: y + b.y - a.y });
      return { ...place.outline, points: place.outline.points.map(moved) };
    }
    if (placed.length === 1) return placed[0].outline;
    if (!before || (!next && before.frame < frame)) return null;
    if (!next) return before.outline;
    const share = (frame - before.frame) / (next.frame - before.frame);
    const [a, b] = [before.outline.points, next.outline.points];
    if (a.length !== b.length) return share < 0.5 ? before.outline : next.outline;
    const mix = (i, axis) => a[i][axis] + share * (b[i][axis] - a[i][axis]);
    return { ...before.outline, points: a.map((_, i) => ({ x: mix(i, "x"), y: mix(i, "y") })) };
  },

  // What is painted of the areas on a frame: closed lines and the grid; and what can be grabbed of the picked one.
  facesOn(frame) {
    if (!this.subject) return [];
    return this.areas.map((area) => this.faceOn(area, frame)).filter(Boolean);
  },
  faceOn(area, frame) {
    const lead = parts.tracks.get(area.carriers[0])?.get(frame);
    const corners = this.cornersOn(area, frame);
    if (!lead || !corners || !isPresent(lead.state)) return null;
    // While it is painted on, its net does not lie over the paint.
    const isPicked = area.id === this.area?.id && !this.brushing;
    const drag = isPicked ? this.dragFace : null;
    const place = this.outlineInForce(area, frame);
    const outline = this.seenOn(area, place, frame);
    if (!outline) return null;
    let quad = corners.map(({ x, y }) => ({ x, y }));
    const at = isPicked ? this.dragPlace : null;
    if (at) quad = quad.map(({ x, y }) => ({ x: x + at.x - lead.x, y: y + at.y - lead.y }));
    if (drag?.corner !== undefined) quad[drag.corner] = drag.place;
    const map = mapBetween(corners, quad);
    const moved = (points) => (map && (at || drag?.corner !== undefined) ? points.map((p) => applied(map, p)) : points);
    const points = drag?.points ?? moved(outline.points);
    const isHome = frame === area.drawn.frame;
    const net = area.bends && !at && !drag ? parts.nets.on(area.id, frame) : null;
    const home = net && parts.nets.on(area.id, area.drawn.frame);
    const bent = (line) =>
      home && !isHome ? line.map((p) => throughNet({ ...net, from: home.knots, to: net.knots }, p)) : line;
    const keepOuts = (area.keep_outs ?? []).map((one) => {
      const there = this.keepOutOn(area, one, frame);
      const own = drag?.keepOut === one.id ? drag.points : there?.points;
      return there && { id: one.id, points: own, line: polygon({ ...there, points: own }) };
    });
    return {
      id: area.id,
      isPicked,
      line: net && place.frame === area.drawn.frame ? bent(polygon(place.outline)) : polygon({ ...outline, points }),
      net,
      box: boxOf(polygon(area.drawn.outline)),
      quad,
      points: isPicked && this.reshaping === area.id ? points : null,
      curved: outline.curved,
      corners:
        isPicked && (!isHome || this.linking) && !this.reshaping
          ? area.carriers.slice(1).map((pin, i) => ({ pin, i }))
          : [],
      keepOuts: keepOuts.filter(Boolean),
    };
  },

  // --- changing -----------------------------------------------------------------------------------------------------

  changeArea(change) {
    return this.send("POST", `/areas/${this.area.id}`, change);
  },
  reshape() {
    if (!this.area) return;
    this.reshaping = this.reshaping ? null : this.area.id;
    this.outlining = null;
    this.repaint();
  },
  // On the frame on which it was drawn: drawn otherwise. On any other: another part of the face from there on.
  putOutline(points, curved) {
    return this.changeArea({ do: "outline", frame: this.frame, outline: { points, curved } });
  },
  keepOut(outline) {
    const place = { frame: this.frame, outline };
    return this.changeArea({ do: "keep_out", id: crypto.randomUUID(), place });
  },
  putKeepOut(id, points) {
    const { rides_on, placed } = this.area.keep_outs.find((one) => one.id === id);
    const place = { frame: this.frame, outline: { points, curved: placed[0].outline.curved } };
    return this.changeArea({ do: "keep_out", id, place, rides_on });
  },
  setCorner(pin, { x, y }) {
    return this.send("POST", "/guides", { pin, frame: this.frame, at: { x, y } });
  },
});
