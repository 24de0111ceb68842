// How well a pin matches, drawn over its weave, with what is hidden, outside, bridged or worth a look.

// 50 % at the bottom, 100 % at the top, the threshold, if one is set, dashed. Light on dark, as
// it lies on a picture.
export function drawMatch(context, scale, state, top, height) {
  const { pin, track } = state;
  if (!track) return;
  const y = (match) => top + 3 + (height - 6) * (1 - (Math.max(0.5, match) - 0.5) * 2);
  const both = (width, colour) => {
    context.lineWidth = width;
    context.strokeStyle = colour;
    context.stroke();
  };
  // A threshold that a person has set; otherwise the solve has its own for each shot.
  if (pin.stop_below !== null) {
    context.setLineDash([4, 4]);
    context.beginPath();
    context.moveTo(0, y(pin.stop_below));
    context.lineTo(scale.width, y(pin.stop_below));
    both(3, "rgba(0, 0, 0, 0.4)");
    both(1, "#ffd9c7");
    context.setLineDash([]);
  }
  for (const [first, last] of track.spans()) {
    context.beginPath();
    let before = false;
    for (let frame = first; frame <= last; frame++) {
      const sample = track.get(frame);
      // A bridge has no match, and what is rough is not compared with the pattern.
      if (sample.state === "bridged" || sample.rough) before = false;
      else {
        context[before ? "lineTo" : "moveTo"](scale.x(frame + 0.5), y(sample.match));
        before = true;
      }
    }
    both(3.5, "rgba(0, 0, 0, 0.55)");
    both(1.5, "#f0e442");
  }
  // Hidden and outside: hatched; bridged: a bar below.
  for (const [first, last, what] of track.runs(["hidden", "outside", "bridged"]))
    gap(context, scale, [first, last, what], top, height);
  // What is worth a look: a small flag at the top.
  for (const { frame } of state.doubts) {
    const x = scale.x(frame + 0.5);
    context.fillStyle = "#86290b";
    context.beginPath();
    context.moveTo(x - 4, top);
    context.lineTo(x + 4, top);
    context.lineTo(x, top + 7);
    context.fill();
  }
  caption(context, "match", scale.width - 62, y(1) + 12);
  if (pin.stop_below === null) return;
  caption(
    context,
    `stops below ${Math.round(pin.stop_below * 100)} %`,
    scale.width - 118,
    Math.min(y(pin.stop_below) + 12, top + height - 5),
  );
}

function caption(context, text, x, y) {
  context.font = '11px "Public Sans", sans-serif';
  context.fillStyle = "rgba(20, 22, 24, 0.66)";
  context.fillRect(x - 5, y - 11, context.measureText(text).width + 10, 15);
  context.fillStyle = "#fff";
  context.fillText(text, x, y);
}

function gap(context, scale, [first, last, what], top, height) {
  const [from, to] = [scale.x(first), scale.x(last + 1)];
  if (what === "bridged") {
    context.fillStyle = "#56b4e9";
    context.fillRect(from, top + height - 5, to - from, 5);
    return;
  }
  context.save();
  context.beginPath();
  context.rect(from, top, to - from, height);
  context.clip();
  context.fillStyle = "rgba(107, 107, 107, 0.55)";
  context.fillRect(from, top, to - from, height);
  context.strokeStyle = "rgba(255, 255, 255, 0.6)";
  context.lineWidth = 1;
  context.beginPath();
  for (let x = from - height; x < to; x += 7) (context.moveTo(x, top + height), context.lineTo(x + height, top));
  context.stroke();
  context.restore();
}
