// Going from frame to frame: the same on the bench and where a shot is only looked at.

export const playing = (parts) => ({
  goTo(frame) {
    const number = Number(frame);
    if (!Number.isFinite(number)) return;
    parts.player.pause();
    parts.player.go(number);
  },
  step(by) {
    this.goTo(this.frame + by);
  },
  togglePlay() {
    if (parts.player.playing) parts.player.pause();
    else parts.player.play();
  },
});
