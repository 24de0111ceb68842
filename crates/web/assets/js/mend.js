// A range of frames chosen on the time below, gaps that can be bridged at once, and following by hand.
import { call } from "./api.js";
import { copy } from "./copy.js";

const frames = (first, last) => (first === last ? `frame ${first}` : `frames ${first} to ${last}`);

export const mending = (parts) => ({
  chosen: null,
  handing: false,
  byHand: null,

  // Without a chosen range: the frame in view.
  get target() {
    return this.chosen ?? { first: this.frame, last: this.frame };
  },
  // Runs without the subject, with what would carry the path across.
  get gapRows() {
    const track = this.track;
    if (!track || track.count() < 2) return [];
    const found = track.frames();
    const [begins, ends] = [found[0], found[found.length - 1]];
    return track.gaps(this.first, this.last).map(([first, last, state]) => {
      const inner = first > begins && last < ends;
      const word = state === "outside" ? "outside" : state === "hidden" ? "hidden" : "nothing found";
      return {
        key: `${first}-${last}`,
        first,
        last,
        text: `${word}, ${frames(first, last)}`,
        inner,
        act: inner ? "Bridge" : "Carry on",
      };
    });
  },

  get isRange() {
    return Boolean(this.chosen) && this.chosen.first < this.chosen.last;
  },
  get rangeText() {
    return this.chosen ? `${this.chosen.first}–${this.chosen.last}` : "";
  },
  // The range becomes a shot of the same film.
  async makePart() {
    const { first, last } = this.chosen;
    try {
      const { shots } = await call("POST", `${this.path}/parts`, { range: [first, last] });
      const open = () => window.location.assign(`/shots/${shots[0]}`);
      this.say(`Frames ${first} to ${last} are a shot of their own.`, false, "Open it", open);
      this.choose(null);
    } catch (error) {
      this.say(error.message, true);
    }
  },

  choose(range) {
    this.chosen = range;
    this.drawTimeline();
  },
  // The range begins, or ends, on the frame in view.
  edge(which) {
    const { frame } = this;
    const { first, last } = this.target;
    this.choose(
      which === "first"
        ? { first: frame, last: Math.max(frame, last) }
        : { first: Math.min(first, frame), last: frame },
    );
  },

  changeRange(range, action) {
    const body = { pin: this.pin.id, ...range, ...action };
    return this.send("POST", "/ranges", body);
  },
  async doRange(action) {
    if (!this.pin) return;
    const done = await this.changeRange({ first: this.target.first, last: this.target.last }, action);
    if (done) this.choose(null);
  },
  bridgeRange(how) {
    this.doRange({ do: "bridge", how });
  },
  // The range, or the gap on this frame; what was crossed already is hidden again.
  bridgeHere() {
    const holds = ({ first, last }) => first <= this.frame && this.frame <= last;
    const gap = this.gapRows.find(holds);
    const bridges = (this.track?.runs(["bridged"]) ?? []).map(([first, last]) => ({ first, last }));
    const bridge = bridges.find(holds);
    if (this.chosen) this.bridgeRange("smooth");
    else if (gap) this.crossGap(gap);
    else if (bridge) this.changeRange(bridge, { do: "hide" });
    else this.say("There is no gap on this frame. Drag a range on the weave below to bridge it.");
  },
  hideRange() {
    this.doRange({ do: "hide" });
  },
  deleteRange() {
    this.doRange({ do: "delete" });
  },
  crossGap(row) {
    this.changeRange(
      { first: row.first, last: row.last },
      row.inner ? { do: "bridge", how: "smooth" } : { do: "carry_on" },
    );
  },

  // --- by hand ------------------------------------------------------------------------------------------------------

  // Each click says where it is on a frame, and the next frame asked for comes up; what lies between is bridged. Some
  // twelve clicks for a range, and the last frame for sure.
  beginByHand() {
    if (!this.pin || !this.chosen) return;
    const { first, last } = this.chosen;
    const step = Math.max(1, Math.ceil((last - first) / 11));
    const wanted = [];
    for (let frame = first; frame < last; frame += step) wanted.push(frame);
    this.byHand = { first, last, frames: [...wanted, last], places: [] };
    this.handNext();
  },
  handNext() {
    const { frames, places } = this.byHand;
    this.goTo(frames[places.length]);
    const near = this.sample ?? this.track?.nearest(this.frame) ?? this.pin.at;
    this.cursor = { x: near.x, y: near.y };
    this.$refs.picture.focus();
    this.repaint();
  },
  handPlaced(x, y) {
    const { frames, places } = this.byHand;
    places.push([this.frame, { x, y }]);
    if (places.length < frames.length) this.handNext();
    else this.endByHand();
  },
  // Also before all frames were clicked on: what there is counts.
  async endByHand() {
    const { first, last, places } = this.byHand;
    this.byHand = null;
    this.cursor = null;
    this.repaint();
    if (!places.length) return;
    const done = await this.changeRange({ first, last }, { do: "by_hand", places: copy(places) });
    if (done) this.choose(null);
  },
  get byHandText() {
    return this.byHand
      ? `Frame ${this.frame}: click where it is, ${this.byHand.places.length + 1} of ${this.byHand.frames.length}. Esc: enough`
      : "";
  },
});
