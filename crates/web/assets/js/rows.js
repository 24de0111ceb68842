// The rows below the picture: subjects over time, and the weave, curves or pace of the selected one.
import Alpine from "../vendor/alpine-csp.esm.js";
import { Track } from "./track.js";

const FEW_ROWS = 3;
const TALL = 310; // Height of the time below, in pixels, from which there is room for more.

export const rowing = (parts) => ({
  lower: "weave",

  // Changes with the samples of the pin: the pictures of its weave are asked for by it.
  weaveVersion() {
    return this.track?.version() ?? "";
  },
  rowsFit: FEW_ROWS,
  rowsAt: null, // The first row that is shown, where somebody has scrolled; else the selected one is among them.

  // As many rows as leave the weave its room.
  get rowSubjects() {
    const most = Math.max(0, this.subjects.length - this.rowsFit);
    const selected = this.subjects.findIndex((one) => one.id === this.selected);
    const from = Math.max(0, Math.min(this.rowsAt ?? selected - 1, most));
    return this.subjects.slice(from, from + this.rowsFit);
  },
  get rowsHidden() {
    return this.subjects.length > this.rowsFit;
  },
  scrollRows(event) {
    if (!this.rowsHidden || !event.deltaY) return;
    const from = this.subjects.indexOf(this.rowSubjects[0]);
    this.rowsAt = Math.max(0, Math.min(from + Math.sign(event.deltaY), this.subjects.length - this.rowsFit));
    this.drawTimeline();
  },
  // What hardly fits is no use: a tall window has twice as many.
  fitRows(height) {
    this.rowsFit = height < TALL ? FEW_ROWS : 2 * FEW_ROWS;
    this.drawTimeline();
  },
  // Of a subject that was handed over: the samples of each pin while it leads.
  trackOf(subject) {
    const { leads, members } = subject;
    if (!members.length) return null;
    if (members.length > 1) return Track.together(members.map((id) => parts.tracks.get(id)));
    if (leads.length === 1) return parts.tracks.get(members[0]) ?? null;
    return Track.joined(leads.map((lead) => [lead.from, parts.tracks.get(lead.pin)]));
  },
  get belowText() {
    if (this.lower === "curves")
      return this.cleaned
        ? "Grey raw, blue clean. Drag keyframes, or a range to pick several; double click adds one."
        : "Grey: as it was found.";
    if (this.lower === "pace" || !this.pin)
      return "Grey: the picture as a whole. Pennants: the pace changes; a guide there helps (J).";
    return "Level threads: it holds. Slanted: it drifts. Broken: it jumps.";
  },
  showBelow(what) {
    this.lower = what;
    this.drawTimeline();
  },
  toggleBelow() {
    this.showBelow({ weave: "curves", curves: "pace", pace: "weave" }[this.lower]);
  },
  // With the next picture of the screen: one piece of news asks for it several times.
  drawTimeline() {
    parts.timelineDue ??= requestAnimationFrame(() => this.drawTimelineNow());
  },
  drawTimelineNow() {
    parts.timelineDue = null;
    if (!this.loaded) return;
    if (!this.working)
      parts.timeline.weave.show(this.path, this.track?.count() > 1 ? this.pin.id : null, this.weaveVersion());
    parts.timeline.draw({
      range: { first: this.first, last: this.last },
      subjects: Alpine.raw(this.rowSubjects),
      selected: this.selected,
      pin: Alpine.raw(this.pin),
      track: this.track,
      trackOf: (subject) => this.trackOf(subject),
      view: this.lower,
      pace: Alpine.raw(this.pace),
      picturePace: Alpine.raw(this.picturePace),
      chosen: Alpine.raw(this.chosen),
      colours: this.colours,
      cuts: this.cuts,
      noCuts: Alpine.raw(this.noCuts),
      prepared: this.clip.state === "ready" ? Infinity : this.clip.prepared,
      frame: this.frame,
      doubts: Alpine.raw(this.doubts),
      notes: Alpine.raw(this.notes),
      people: Alpine.raw(this.others),
    });
  },
});
