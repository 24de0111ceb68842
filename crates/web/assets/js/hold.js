// The picture held still on the pin, or on all pins of the subject (then turn and growth too), or the view that goes
// along.

import { place } from "./player.js";

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
    parts.player.view = { ...parts.player.view, turn: 0 };
    if (this.hold === "off") parts.player.hold = null;
    else parts.player.hold = (frame, view, box) => this.heldView(frame, view, box);
    parts.player.draw();
    this.repaint();
  },
  // Where the subject is: on its clean path, else where the pin is.
  placeOn(frame) {
    const path = this.cleaned || this.members.length > 1 ? parts.path : null;
    const index = path ? path.frame.indexOf(frame) : -1;
    if (index >= 0) return { x: path.x[index], y: path.y[index] };
    return this.track?.get(frame) ?? null;
  },
  // How it is turned and how large it is there, where several pins, or a pin that looks for it, say so.
  poseOn(frame) {
    const path = parts.path;
    const index = path?.rotation ? path.frame.indexOf(frame) : -1;
    return index < 0 ? { rotation: 0, scale: 1 } : { rotation: path.rotation[index], scale: path.scale[index] };
  },
  heldView(frame, view, box) {
    const on = this.placeOn(frame);
    if (!on) return view;
    const at = place(view, on.x, on.y);
    if (this.hold === "still") {
      const pose = this.poseOn(frame);
      // Held where, and as, it was when it began, or where the view has been moved to since.
      parts.holdAt ??= { at, pose, scale: view.scale, turn: view.turn };
      const held = parts.holdAt;
      const still = {
        ...view,
        scale: (held.scale * held.pose.scale) / pose.scale,
        turn: held.turn + held.pose.rotation - pose.rotation,
      };
      const now = place(still, on.x, on.y);
      return { ...still, x: still.x + held.at.x - now.x, y: still.y + held.at.y - now.y };
    }
    const within = (value, size) => Math.min(size * (0.5 + MIDDLE), Math.max(size * (0.5 - MIDDLE), value));
    return { ...view, x: view.x + within(at.x, box.width) - at.x, y: view.y + within(at.y, box.height) - at.y };
  },
});
