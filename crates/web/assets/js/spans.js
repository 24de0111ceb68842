// A subject's row: where its leading pin is found, roughly found, hidden, outside, bridged, and its guides.

export const ROW = 28;

export function drawRow(context, scale, state, subject, top, box) {
  if (top > box.height) return;
  const selected = subject.id === state.selected;
  context.fillStyle = selected ? "#f0ebe0" : "#fffdf8";
  context.fillRect(0, top, box.width, ROW);
  context.fillStyle = "#d8d2c4";
  context.fillRect(0, top + ROW - 1, box.width, 1);
  const track = state.trackOf(subject);
  if (!track) return;
  const middle = top + ROW / 2;
  for (const span of track.spans()) {
    context.fillStyle = state.colours[subject.colour];
    // What is only the live pass is pale.
    context.globalAlpha = track.isSolved() ? 1 : 0.45;
    context.fillRect(scale.x(span[0]), middle - 5, Math.max(2, scale.x(span[1] + 1) - scale.x(span[0])), 10);
    context.globalAlpha = 1;
    context.strokeStyle = "rgba(0,0,0,0.45)";
    context.lineWidth = 1;
    context.strokeRect(
      scale.x(span[0]) + 0.5,
      middle - 4.5,
      Math.max(1, scale.x(span[1] + 1) - scale.x(span[0]) - 1),
      9,
    );
  }
  for (const [first, last] of track.roughRuns()) rough(context, scale.x(first), scale.x(last + 1), middle);
  for (const run of track.runs(["hidden", "outside"])) absence(context, scale, run, middle);
  for (const [first, last] of track.runs(["bridged"])) bridged(context, scale.x(first), scale.x(last + 1), middle);
  for (const frame of track.guides()) diamond(context, scale.x(frame + 0.5), middle);
}

// Rough: only the lower half of the bar is left.
function rough(context, from, to, middle) {
  context.fillStyle = "#fffdf8";
  context.fillRect(from, middle - 5, Math.max(1, to - from), 5);
  context.fillStyle = "rgba(0,0,0,0.45)";
  context.fillRect(from, middle - 1, Math.max(1, to - from), 1);
}

// Hidden: a thin line with posts at its ends. Outside: dots.
function absence(context, scale, [first, last, state], middle) {
  const [from, to] = [scale.x(first), scale.x(last + 1)];
  context.strokeStyle = "#595750";
  context.lineWidth = 1.5;
  context.setLineDash(state === "outside" ? [1.5, 4] : []);
  context.beginPath();
  context.moveTo(from, middle);
  context.lineTo(to, middle);
  if (state === "hidden")
    for (const x of [from + 1, to - 1]) (context.moveTo(x, middle - 4), context.lineTo(x, middle + 4));
  context.stroke();
  context.setLineDash([]);
}

// Bridged: hollow, with the deck alone in colour.
function bridged(context, from, to, middle) {
  context.fillStyle = "#fffdf8";
  context.fillRect(from, middle - 4, to - from, 5);
  context.strokeStyle = "rgba(0, 0, 0, 0.45)";
  context.strokeRect(from + 0.5, middle - 4.5, Math.max(1, to - from - 1), 9);
}

function diamond(context, x, y) {
  context.beginPath();
  context.moveTo(x, y - 8);
  context.lineTo(x + 6, y);
  context.lineTo(x, y + 8);
  context.lineTo(x - 6, y);
  context.closePath();
  context.fillStyle = "#fff";
  context.fill();
  context.strokeStyle = "#000";
  context.lineWidth = 1.5;
  context.stroke();
}
