// Speed over time, with the frames where the pace changes.

export function drawPace(context, scale, pace, top, height) {
  context.fillStyle = "#f5f2eb";
  context.fillRect(0, top, scale.width, height);
  if (!pace?.runs.length) return;
  const fastest = Math.max(1, ...pace.runs.flatMap((run) => run.speeds));
  const y = (speed) => top + 16 + (height - 22) * (1 - speed / fastest);
  context.strokeStyle = "#0b4f8a";
  context.lineWidth = 1.6;
  for (const { first, speeds } of pace.runs) {
    context.beginPath();
    speeds.forEach((speed, i) => context[i ? "lineTo" : "moveTo"](scale.x(first + i + 0.5), y(speed)));
    context.stroke();
  }
  // A pennant where the pace changes: a guide there helps.
  for (const frame of pace.changes) {
    const x = scale.x(frame + 0.5);
    context.fillStyle = "#86290b";
    context.fillRect(x - 0.5, top, 1, height);
    context.beginPath();
    context.moveTo(x, top + 2);
    context.lineTo(x + 9, top + 6);
    context.lineTo(x, top + 10);
    context.fill();
  }
  context.fillStyle = "#595750";
  context.font = '11px "Public Sans", sans-serif';
  context.fillText(`speed, 0 to ${fastest.toFixed(1)} px a frame`, 12, top + 12);
}
