// The ruler above the rows: frames, cuts, notes, and where other people are.

// Height of the ruler with what separates it from the rows.
export const TOP = 30;

export function drawRuler(context, scale, state, box) {
  const { first, last } = state.range;
  context.fillStyle = "#ebe6da";
  context.fillRect(0, 0, box.width, TOP - 4);
  // What is not prepared yet is hatched.
  if (state.prepared <= last) {
    context.fillStyle = "#cfc8b8";
    context.fillRect(
      scale.x(Math.max(first, state.prepared)),
      0,
      scale.x(last + 1) - scale.x(Math.max(first, state.prepared)),
      TOP - 4,
    );
  }
  const steps = [1, 2, 5, 10, 20, 25, 50, 100, 200, 250, 500, 1000, 2000, 5000, 10000];
  const step = steps.find((s) => s * scale.perFrame >= 58) ?? 20000;
  context.fillStyle = "#22272b";
  context.font = '11px "Public Sans", sans-serif';
  context.textBaseline = "alphabetic";
  for (let frame = Math.ceil(first / step) * step; frame <= last; frame += step) {
    const x = scale.x(frame);
    context.fillRect(Math.round(x), 16, 1, TOP - 20);
    context.fillText(String(frame), x + 4, 14);
  }
  for (const cut of state.cuts) {
    const x = scale.x(cut);
    // Not over a tick.
    context.fillStyle = "#ebe6da";
    context.fillRect(x + 1, 15, context.measureText("cut").width + 5, TOP - 19);
    context.fillStyle = "#86290b";
    context.fillRect(Math.round(x) - 1, 0, 2, box.height);
    context.fillText("cut", x + 4, 24);
  }
  context.fillStyle = "#86290b";
  // What was found to be one, and is none: a short mark at which it can be made one again.
  for (const frame of state.noCuts) context.fillRect(Math.round(scale.x(frame)) - 1, 0, 2, 8);
  for (const note of state.notes ?? []) flag(context, scale, note);
  for (const person of state.people ?? []) personOn(context, scale, person);
}

// Somebody else is on this frame.
function personOn(context, scale, { frame, initial }) {
  const x = scale.x(frame + 0.5);
  context.fillStyle = "#0b4f8a";
  context.beginPath();
  context.arc(x, 8, 7, 0, 2 * Math.PI);
  context.fill();
  context.fillRect(x - 0.75, 14, 1.5, TOP - 18);
  context.fillStyle = "#fff";
  context.textAlign = "center";
  context.fillText(initial, x, 12);
  context.textAlign = "start";
}

// A note: a sheet with a folded corner, filled while it is open.
function flag(context, scale, { frame, done }) {
  const x = Math.round(scale.x(frame + 0.5));
  context.beginPath();
  for (const [dx, y] of [
    [0, 3],
    [6, 3],
    [10, 7],
    [10, 14],
    [0, 14],
  ])
    context.lineTo(x + dx, y);
  context.closePath();
  context.fillStyle = done ? "#fffdf8" : "#a63a17";
  context.fill();
  context.strokeStyle = "#22272b";
  context.lineWidth = 1;
  context.stroke();
  context.fillStyle = "#22272b";
  context.fillRect(x - 1, 3, 1.5, TOP - 8);
}
