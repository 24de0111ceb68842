// What lies over the picture: marks of the pin, its trail, and the attachments, on the picture's own canvas.

import { polygon } from "./face.js";
import { Faces } from "./faces.js";
import { Grabs } from "./grabs.js";
import { Painter } from "./painter.js";
import { Scene } from "./scene.js";
import { make } from "./svg.js";
import { paintPath, paintTrail } from "./trail.js";

const GRIP = 8;
const REACH = 24; // Sides of what can be grabbed, in CSS pixels.
const NEAREST = 20; // Least distance of a corner's grip from the point, across and down.

export class Overlay {
  constructor(svg, player) {
    this.svg = svg;
    this.player = player;
    this.scene = new Scene(() => player.redraw());
    this.painter = new Painter(this.scene, player);
    this.grabs = new Grabs(make("g", {}, svg), this.scene, player);
    player.overIt = (context) => {
      this.painter.paint(context);
      this.paintFresh?.(context);
      this.faces.paint(context);
    };
    player.beforePlaying = () => this.scene.prepare(this.painter.ratio);
    this.trails = make("g", {}, svg);
    this.spots = make("g", {}, svg);
    this.faces = new Faces(svg, player);
    this.marks = make("g", {}, svg);
    this.cross = make("g", {}, svg);
  }

  // From where the scene comes; `come` is told when a part of it has.
  openScene(fetch, come) {
    this.scene.open(fetch, () => this.painter.ratio, come);
  }
  // The part that came last.
  get sceneData() {
    return this.scene.windows?.data ?? null;
  }

  paint(state) {
    this.player.redraw();
    this.grabs.paint(state);
    this.paintTrails(state);
    this.paintSpots(state);
    this.faces.paintHandles(state.playing);
    this.paintMarks(state);
    this.paintCross(state);
  }

  paintTrails(state) {
    this.trails.replaceChildren();
    if (state.playing || !state.track) return;
    paintTrail(this.trails, state.track, this.player, this.player.frame, state.second);
    if (state.path) paintPath(this.trails, state.path, this.player);
  }

  // Good features: a ring where a pin would hold, and for the others the shape of what is wrong.
  paintSpots(state) {
    this.spots.replaceChildren();
    if (state.playing) return;
    for (const spot of state.spots) {
      const { x, y } = this.player.toStage(spot.at.x, spot.at.y);
      const d =
        {
          flat: `M${x - 5} ${y - 5}l10 10M${x + 5} ${y - 5}l-10 10`,
          edge_only: `M${x - 7} ${y}h14`,
          repeats: `M${x - 7} ${y - 4}h6v8h-6zM${x + 1} ${y - 4}h6v8h-6z`,
        }[spot.problem] ?? `M${x - 7} ${y}a7 7 0 1 0 14 0a7 7 0 1 0-14 0zM${x - 1} ${y}h2`;
      make("path", { class: "dark", d, "stroke-width": 4 }, this.spots);
      make("path", { class: spot.problem ? "light" : "light good", d, "stroke-width": 2 }, this.spots);
    }
  }

  paintMarks(state) {
    this.marks.replaceChildren();
    for (const other of state.others) this.badge(other);
    for (const one of state.ownPins ?? []) this.ownPin(one);
    for (const one of state.carried ?? []) this.carried(one);
    if (state.linked) this.linked(state.linked);
    if (state.outlined) this.outlined(state.outlined);
    const { pin, place } = state;
    if (!pin || !place || state.playing) return;
    const at = this.player.toStage(place.x, place.y);
    const scale = this.player.view.scale;
    // What is open has handles of its own.
    if (!state.opened && !state.hasArea) this.boxes(pin, at, scale);
    // A gap round the point, so that the feature itself stays visible.
    const gap = 6;
    const arm = 16;
    const d = `M${at.x - arm} ${at.y}h${arm - gap}M${at.x + gap} ${at.y}h${arm - gap}M${at.x} ${at.y - arm}v${arm - gap}M${at.x} ${at.y + gap}v${arm - gap}`;
    make("path", { class: "dark", d, "stroke-width": 4 }, this.marks);
    make("path", { class: "light", d, "stroke-width": 2 }, this.marks);
    make(
      "rect",
      { class: "grab", x: at.x - REACH / 2, y: at.y - REACH / 2, width: REACH, height: REACH, "data-grab": "point" },
      this.marks,
    );
  }

  boxes(pin, at, scale) {
    const [width, height] = pin.pattern.map((side) => (side * scale) / 2);
    const [across, down] = pin.search.map((reach, i) => reach * scale + [width, height][i]);
    this.box(at, across, down, "search");
    this.box(at, width, height, "pattern");
  }

  box(at, halfWidth, halfHeight, kind) {
    const attributes = { x: at.x - halfWidth, y: at.y - halfHeight, width: 2 * halfWidth, height: 2 * halfHeight };
    make("rect", { class: "dark", "stroke-width": 3, ...attributes }, this.marks);
    make("rect", { class: `light ${kind}`, "stroke-width": 1.2, ...attributes }, this.marks);
    for (const [sx, sy] of [
      [-1, -1],
      [1, -1],
      [-1, 1],
      [1, 1],
    ]) {
      // Never so near to the point that one cannot be told from the other.
      const x = at.x + sx * Math.max(halfWidth, NEAREST);
      const y = at.y + sy * Math.max(halfHeight, NEAREST);
      make("rect", { class: "grip", x: x - GRIP / 2, y: y - GRIP / 2, width: GRIP, height: GRIP }, this.marks);
      make(
        "rect",
        {
          class: "size-grab",
          x: x - REACH / 2 + sx * 4,
          y: y - REACH / 2 + sy * 4,
          width: REACH,
          height: REACH,
          "data-grab": kind,
        },
        this.marks,
      );
    }
  }

  badge({ place, letter, colour }) {
    const at = this.player.toStage(place.x, place.y);
    make("circle", { cx: at.x, cy: at.y - 16, r: 9, fill: colour, stroke: "#000", "stroke-opacity": 0.6 }, this.marks);
    make("circle", { cx: at.x, cy: at.y, r: 2.5, fill: colour, stroke: "#000" }, this.marks);
    make("text", { class: "badge", x: at.x, y: at.y - 16 }, this.marks).textContent = letter;
  }

  // Another pin of the same subject: a ring with its number, which picks it.
  ownPin({ id, number, place }) {
    const at = this.player.toStage(place.x, place.y);
    for (const [kind, width] of [
      ["dark", 4],
      ["light", 2],
    ])
      make("circle", { class: kind, cx: at.x, cy: at.y, r: 7, "stroke-width": width }, this.marks);
    this.tag(at, number);
    make(
      "rect",
      {
        class: "pick",
        x: at.x - REACH / 2,
        y: at.y - REACH / 2,
        width: REACH,
        height: REACH,
        "data-grab": "pin",
        "data-pin": id,
      },
      this.marks,
    );
  }

  // A point that the pins carry: a square, dashed while it was only put down by eye.
  carried({ id, letter, byEye, place }) {
    const at = this.player.toStage(place.x, place.y);
    const box = { x: at.x - 7, y: at.y - 7, width: 14, height: 14 };
    make("rect", { class: "dark", ...box, "stroke-width": 4 }, this.marks);
    make("rect", { class: "light", ...box, "stroke-width": 2, "stroke-dasharray": byEye ? "4 3" : "none" }, this.marks);
    this.tag(at, letter);
    make(
      "rect",
      {
        class: "grab",
        x: at.x - REACH / 2,
        y: at.y - REACH / 2,
        width: REACH,
        height: REACH,
        "data-grab": "carried",
        "data-point": id,
      },
      this.marks,
    );
  }

  // The boundary line as far as it is linked.
  linked(places) {
    const points = places
      .map((place) => this.player.toStage(place.x, place.y))
      .map(({ x, y }) => `${x},${y}`)
      .join(" ");
    make("polyline", { class: "dark", points, "stroke-width": 5 }, this.marks);
    make("polyline", { class: "light", points, "stroke-width": 2.5, "stroke-dasharray": "7 5" }, this.marks);
  }

  // A closed line as far as it is clicked; the first corner, which closes it, is a ring.
  outlined(outline) {
    this.linked(polygon(outline));
    outline.points.forEach((place, i) => {
      const { x, y } = this.player.toStage(place.x, place.y);
      if (i) make("rect", { class: "grip", x: x - 3, y: y - 3, width: 6, height: 6 }, this.marks);
      else make("circle", { class: "grip", cx: x, cy: y, r: 5 }, this.marks);
    });
  }

  tag({ x, y }, text) {
    make("text", { class: "tag", x: x + 12, y: y - 9 }, this.marks).textContent = text;
  }

  // The crosshair that is moved with the arrow keys.
  paintCross(state) {
    this.cross.replaceChildren();
    if (!state.cursor) return;
    const at = this.player.toStage(state.cursor.x, state.cursor.y);
    const d = `M${at.x - 26} ${at.y}h20M${at.x + 6} ${at.y}h20M${at.x} ${at.y - 26}v20M${at.x} ${at.y + 6}v20`;
    make("path", { class: "dark", d, "stroke-width": 4 }, this.cross);
    make("path", { class: "light", d, "stroke-width": 2 }, this.cross);
  }
}
