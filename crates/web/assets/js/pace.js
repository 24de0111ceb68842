// Speed over time, of the pin and of the picture as a whole, with the frames where the pace changes.

const PIN = { line: "#0b4f8a", width: 1.8, pennant: "#86290b" };
const PICTURE = { line: "#8a867c", width: 3, pennant: "#6b675e" };

export function drawPace(context, scale, { pace, picturePace }, top, height) {
  context.fillStyle = "#f5f2eb";
  context.fillRect(0, top, scale.width, height);
  const both = [
    [picturePace, PICTURE],
    [pace, PIN],
  ].filter(([one]) => one?.runs.length);
  const fastest = Math.max(1, ...both.flatMap(([one]) => one.runs.flatMap((run) => run.speeds)));
  const y = (speed) => top + 16 + (height - 22) * (1 - speed / fastest);
  for (const [one, look] of both) {
    context.strokeStyle = look.line;
    context.lineWidth = look.width;
    for (const { first, speeds } of one.runs) {
      context.beginPath();
      speeds.forEach((speed, i) => context[i ? "lineTo" : "moveTo"](scale.x(first + i + 0.5), y(speed)));
      context.stroke();
    }
  }
  for (const [one, look] of both)
    for (const frame of one.changes) pennant(context, scale.x(frame + 0.5), top, height, look);
  context.fillStyle = "#595750";
  context.font = '11px "Public Sans", sans-serif';
  context.fillText(
    both.length ? `speed, 0 to ${fastest.toFixed(1)} px a frame` : "The pace is known once the film is read.",
    12,
    top + 12,
  );
}

// Where the pace changes: a guide there helps. The pin's are filled, those of the picture hollow and lower.
function pennant(context, x, top, height, look) {
  const at = top + (look === PIN ? 2 : 12);
  context.fillStyle = context.strokeStyle = look.pennant;
  context.lineWidth = 1.2;
  context.fillRect(x - 0.5, top, 1, height);
  context.beginPath();
  context.moveTo(x, at);
  context.lineTo(x + 9, at + 4);
  context.lineTo(x, at + 8);
  if (look === PIN) context.fill();
  else context.stroke();
}
