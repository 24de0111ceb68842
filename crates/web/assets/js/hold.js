// The picture held still on the pin, or the view that goes along with it.

const MIDDLE = 0.3; // Share of the view, from its middle to each side, that the pin may roam before the view goes along.
const NEXT = { off: "still", still: "along", along: "off" };

export const holding = (parts) => ({
  hold: "off",

  get holdText() {
    return { off: "Hold still", still: "Held still on the pin", along: "View goes along" }[this.hold];
  },
  nextHold() {
    this.hold = NEXT[this.hold];
    parts.holdAt = null;
    if (this.hold === "off") parts.player.hold = null;
    else parts.player.hold = (frame, view, box) => this.heldView(frame, view, box);
    parts.player.draw();
    this.repaint();
  },
  // Where the subject is: on its clean path, else where the pin is.
  placeOn(frame) {
    const path = this.cleaned ? parts.path : null;
    const index = path ? path.frame.indexOf(frame) : -1;
    if (index >= 0) return { x: path.x[index], y: path.y[index] };
    return this.track?.get(frame) ?? null;
  },
  heldView(frame, view, box) {
    const place = this.placeOn(frame);
    if (!place) return view;
    const at = { x: view.x + place.x * view.scale, y: view.y + place.y * view.scale };
    if (this.hold === "still") {
      // Held where it was when it began, or where the view has been moved to since.
      parts.holdAt ??= at;
      return { ...view, x: view.x + parts.holdAt.x - at.x, y: view.y + parts.holdAt.y - at.y };
    }
    const within = (value, size) => Math.min(size * (0.5 + MIDDLE), Math.max(size * (0.5 - MIDDLE), value));
    return { ...view, x: view.x + within(at.x, box.width) - at.x, y: view.y + within(at.y, box.height) - at.y };
  },
});
