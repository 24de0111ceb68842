// The trail of a pin over the picture: how well it matched by colour and by thickness, states by shape, the live pass
// dashed. Also the legend that says so.
import { make } from "./svg.js";

// From the best match down: thin and light to thick and strong. Colours of Okabe & Ito.
const BANDS = [
  { from: 0.95, colour: "#56b4e9", width: 1.5, text: "95 % and more" },
  { from: 0.9, colour: "#f0e442", width: 2.75, text: "90 to 95 %" },
  { from: 0, colour: "#e8743b", width: 4.5, text: "below 90 %" },
];
// Where only the subject is found, not the very spot: beads, whatever the match.
const ROUGH = { colour: "#f4efe4", width: 4 };
const BEADS = { "stroke-dasharray": "0.1 7", "stroke-linecap": "round" };
const band = (sample) => {
  if (sample.state === "guide") return 0;
  return sample.rough ? "rough" : BANDS.findIndex(({ from }) => sample.match >= from);
};
// Marks of predicted places nearer than this on screen would make a line of them.
const APART = 7;

// Draws the trail of a track; the mark on `current` is left out. Predicted places of runs of more than `longest` frames
// are no trail: there nobody knows where it is.
export function paintTrail(group, track, player, current, longest) {
  for (const { path, band: which, solved } of pieces(track, player)) {
    const dash = which === "rough" ? BEADS : solved ? {} : { "stroke-dasharray": "5 4" };
    const { colour, width } = which === "rough" ? ROUGH : BANDS[which];
    const under = which === "rough" ? BEADS : {};
    make(
      "path",
      { class: "trail", d: path, stroke: "#000", "stroke-opacity": 0.5, "stroke-width": width + 2, ...under },
      group,
    );
    make("path", { class: "trail", d: path, stroke: colour, "stroke-width": width, ...dash }, group);
  }
  marks(group, track, player, current, longest);
}

// The clean path: a fine white line with its keyframes as small squares.
export function paintPath(group, path, player) {
  let d = "";
  path.frame.forEach((frame, i) => {
    const at = player.toStage(path.x[i], path.y[i]);
    d += `${i > 0 && path.frame[i - 1] === frame - 1 ? "L" : "M"}${at.x.toFixed(1)} ${at.y.toFixed(1)}`;
  });
  make("path", { class: "trail", d, stroke: "#000", "stroke-opacity": 0.6, "stroke-width": 3 }, group);
  make("path", { class: "trail", d, stroke: "#fff", "stroke-width": 1.2 }, group);
  for (const key of path.keys) {
    const { x, y } = player.toStage(key.at.x, key.at.y);
    make("rect", { class: "state bridged", x: x - 2.5, y: y - 2.5, width: 5, height: 5 }, group);
  }
}

// Runs of neighbouring frames of one band; each starts where the one before ends.
function pieces(track, player) {
  const all = [];
  for (const [first, last] of track.spans()) {
    let piece = null;
    for (let frame = first; frame <= last; frame++) {
      const sample = track.get(frame);
      const at = player.toStage(sample.x, sample.y);
      const point = `${at.x.toFixed(1)} ${at.y.toFixed(1)}`;
      if (piece) piece.path += `L${point}`;
      // What was set by hand needs no solving.
      const solved = sample.solved || sample.state === "guide";
      if (!piece || band(sample) !== piece.band || solved !== piece.solved) {
        piece = { path: `M${point}`, band: band(sample), solved };
        all.push(piece);
      }
    }
  }
  return all;
}

// A diamond for a guide, a ring where it is hidden, a triangle outside, a square on a bridge.
function marks(group, track, player, current, longest) {
  let last = null;
  const long = track.runs(["hidden", "outside"]).filter(([first, last]) => last - first >= longest);
  const unknown = (frame) => long.some(([first, last]) => first <= frame && frame <= last);
  for (const frame of track.marked()) {
    if (frame === current || unknown(frame)) continue;
    const sample = track.get(frame);
    const at = player.toStage(sample.x, sample.y);
    if (sample.state !== "guide") {
      if (last && Math.hypot(at.x - last.x, at.y - last.y) < APART) continue;
      last = at;
    }
    make("path", { class: `state ${sample.state}`, d: shape(sample.state, at) }, group);
  }
}

function shape(state, { x, y }) {
  return {
    guide: `M${x} ${y - 6}l5 6l-5 6l-5-6z`,
    hidden: `M${x - 3} ${y}a3 3 0 1 0 6 0a3 3 0 1 0-6 0z`,
    outside: `M${x} ${y - 4}l4 7h-8z`,
    bridged: `M${x - 3} ${y - 3}h6v6h-6z`,
  }[state];
}

export function paintLegend(svg) {
  const row = (i) => 10 + i * 17;
  BANDS.forEach(({ colour, width, text }, i) => {
    const line = { x1: 6, x2: 34, y1: row(i), y2: row(i) };
    make("line", { ...line, stroke: "#000", "stroke-opacity": 0.5, "stroke-width": width + 2 }, svg);
    make("line", { ...line, stroke: colour, "stroke-width": width }, svg);
    make("text", { x: 42, y: row(i) + 4 }, svg).textContent = text;
  });
  const live = { x1: 6, x2: 34, y1: row(3), y2: row(3) };
  make("line", { ...live, stroke: "#000", "stroke-opacity": 0.5, "stroke-width": BANDS[0].width + 2 }, svg);
  make("line", { ...live, stroke: BANDS[0].colour, "stroke-width": BANDS[0].width, "stroke-dasharray": "5 4" }, svg);
  make("text", { x: 42, y: row(3) + 4 }, svg).textContent = "live pass only";
  const rough = { x1: 7, x2: 34, y1: row(4), y2: row(4), ...BEADS };
  make("line", { ...rough, stroke: "#000", "stroke-opacity": 0.5, "stroke-width": ROUGH.width + 2 }, svg);
  make("line", { ...rough, stroke: ROUGH.colour, "stroke-width": ROUGH.width }, svg);
  make("text", { x: 42, y: row(4) + 4 }, svg).textContent = "rough: the subject, not the spot";
  const words = { guide: "set by hand", hidden: "hidden", outside: "outside", bridged: "bridged" };
  Object.entries(words).forEach(([state, text], i) => {
    make("path", { class: `state ${state}`, d: shape(state, { x: 152, y: row(i) }) }, svg);
    make("text", { x: 164, y: row(i) + 4 }, svg).textContent = text;
  });
}
