// The pin enlarged: as picked, now, and the difference.
export const patching = () => ({
  patches: { picked: "", now: "", difference: "" },
  nearestGuide: false,
  largePatches: false,

  compareWith(nearest) {
    this.nearestGuide = nearest;
    this.refreshPatches();
  },
  enlargePatches() {
    this.largePatches = !this.largePatches;
    this.refreshPatches();
  },
  get pickedText() {
    return this.nearestGuide ? "nearest guide" : "as picked";
  },

  refreshPatches() {
    const pin = this.pin;
    const sample = this.sample;
    if (!pin || !sample || this.playing) {
      if (!sample) this.patches = { picked: "", now: "", difference: "" };
      return;
    }
    const { x, y } = this.dragPlace ?? sample;
    const where = `frame=${this.frame}&x=${x}&y=${y}&of=${pin.frame},${pin.at.x},${pin.at.y},${pin.pattern},${this.track.guides().length}&nearest=${this.nearestGuide}&side=${this.largePatches ? 520 : 184}`;
    const address = (which) => `${this.path}/pins/${pin.id}/${which}.png?${where}`;
    this.patches = { picked: address("picked"), now: address("now"), difference: address("difference") };
  },
});
