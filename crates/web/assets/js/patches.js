// The pin enlarged: as picked, now, and the difference.
export const patching = () => ({
  patches: { picked: "", now: "", difference: "" },

  refreshPatches() {
    const pin = this.pin;
    const sample = this.sample;
    if (!pin || !sample || this.playing) {
      if (!sample) this.patches = { picked: "", now: "", difference: "" };
      return;
    }
    const where = `frame=${this.frame}&at=${sample.x},${sample.y}&of=${pin.frame},${pin.at.x},${pin.at.y},${pin.pattern}`;
    const address = (which) => `${this.path}/pins/${pin.id}/${which}.png?${where}`;
    this.patches = { picked: address("picked"), now: address("now"), difference: address("difference") };
  },
});
