// Going from frame to frame, playing, and the view of the picture.
import { press } from "./keys.js";

export const looking = (parts) => ({
  frameChanged(frame) {
    if (frame !== this.frame) this.forgetSpot();
    this.frame = frame;
    if (this.others.length) this.tellSoon();
    if (this.playing) {
      // The picture with all on it has been painted; the rest need not keep its pace.
      this.timelineSoon();
      this.playText = this.dropText();
    } else {
      this.repaint();
      this.patchesSoon();
      if (this.spotsShown) this.spotsSoon();
    }
  },
  viewChanged() {
    this.zoomText = `${Math.round(parts.player.view.scale * 100)} %`;
    this.repaint();
  },
  resized() {
    parts.player.resize();
    this.drawTimeline();
  },
  dropText() {
    const dropped = parts.player.dropped;
    return `${dropped} dropped`;
  },
  playingChanged(on) {
    this.playing = on;
    const measured = parts.player.measured;
    this.playText = on || !measured ? "" : this.dropText();
    this.repaint();
    if (!on) this.patchesSoon();
  },
  zoomBy(factor) {
    parts.player.zoom(factor);
  },
  fit() {
    parts.player.fit();
  },
  closeUp() {
    const sample = this.sample;
    if (!sample) return;
    if (parts.player.view.scale < 4) parts.player.zoom(4 / parts.player.view.scale);
    parts.player.centre(sample.x, sample.y);
  },
  focusOn(id) {
    const field = document.getElementById(id);
    field?.focus();
    field?.select?.();
    return field;
  },
  openSheet(id) {
    window.bootstrap.Modal.getOrCreateInstance(document.getElementById(id)).show();
  },
  key(event) {
    if (press(event, this)) event.preventDefault();
  },
});
