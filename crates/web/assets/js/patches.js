// The pin enlarged: as picked, now, and the difference.
import { isPresent } from "./track.js";

export const patching = () => ({
  patches: { picked: "", now: "", difference: "" },
  keyPictures: [],
  againstFirst: false,
  largePatches: false,

  compareWithFirst(first) {
    this.againstFirst = first;
    this.refreshPatches();
  },
  enlargePatches() {
    this.largePatches = !this.largePatches;
    this.refreshPatches();
  },
  // The nearest other frame on which it was plainly seen or set by hand; the one on which it was picked, where there is
  // none.
  get comparedFrame() {
    const far = (frame) => Math.abs(frame - this.frame);
    const others = this.againstFirst ? [] : this.keyPictures.filter((key) => key !== this.frame && this.track.get(key));
    return others.reduce((best, key) => (best === null || far(key) < far(best) ? key : best), null) ?? this.pin.frame;
  },
  get pickedText() {
    if (!this.pin || !this.track) return "as picked";
    return this.comparedFrame === this.pin.frame ? "as picked" : `on frame ${this.comparedFrame}`;
  },

  refreshPatches() {
    const pin = this.pin;
    const sample = this.sample;
    // Where an area is not seen, it has no map that could bring it upright.
    const isKnown = sample && (!this.area || isPresent(sample.state));
    if (!pin || !isKnown || this.playing) {
      if (!isKnown) this.patches = { picked: "", now: "", difference: "" };
      return;
    }
    const { x, y } = this.dragPlace ?? sample;
    const of = [pin.frame, pin.at.x, pin.at.y, pin.pattern, this.track.guides().length];
    const where = `frame=${this.frame}&x=${x}&y=${y}&of=${of}&against=${this.comparedFrame}&side=${this.largePatches ? 520 : 184}`;
    const address = (which) => `${this.path}/pins/${pin.id}/${which}.png?${where}`;
    this.patches = { picked: address("picked"), now: address("now"), difference: address("difference") };
  },
});
