// What of the scene can be dragged, in SVG over the picture: outlines to grab, and the handles of what is open.

import { throughNet } from "./nets.js";
import { draggedRows, ringOfSpeck } from "./painter.js";
import { make } from "./svg.js";

const GRIP = 14; // Half the side of what a flare is grabbed by, in CSS pixels.
const HANDLE = 6; // Half the side of a handle's mark, ...
const REACH = 14; // ... of what is grabbed of it, ...
const EDGE_POINTS = 12; // Along each side of bent artwork.
const ARM = 26; // ... and how far the one for turning stands off.
const TURNED = new Set(["label", "picture", "clip", "cover", "front", "sparks"]); // What is round has no handle for it.

const cssMatrix = ([[a, b, x], [c, d, y]]) => `matrix(${a} ${c} ${b} ${d} ${x} ${y})`;

// The box round points, with room.
function roundAll(rings, room) {
  const points = rings.flat();
  const [low, high] = [Math.min, Math.max].map((most) => ["x", "y"].map((axis) => most(...points.map((p) => p[axis]))));
  return [
    [low[0] - room, low[1] - room],
    [high[0] + room, low[1] - room],
    [high[0] + room, high[1] + room],
    [low[0] - room, high[1] + room],
  ];
}

export class Grabs {
  constructor(group, scene, player) {
    Object.assign(this, { group, scene, player, middle: null });
  }

  // What can be dragged: every attachment of the selected subject, and the labels of all. The one whose settings are
  // open has handles.
  paint({ playing, grabbable, opened }) {
    this.group.setAttribute("transform", this.viewTransform);
    this.group.replaceChildren();
    this.middle = null;
    if (playing || !grabbable) return;
    const last = new Map(this.scene.drawables(this.player.shown).map((drawable) => [drawable.of, drawable.shape]));
    for (const [of, shape] of last) {
      if (!grabbable.has(of)) continue;
      const rings = this.grabRings(shape, grabbable.get(of));
      if (!rings.length) continue;
      const group = make(
        "g",
        this.scene.shift?.of === of ? { transform: cssMatrix(draggedRows(this.scene.shift)) } : {},
        this.group,
      );
      const d = rings.map((ring) => `M${ring.map(([x, y]) => `${x} ${y}`).join("L")}Z`).join("");
      make("path", { class: "scene-grab", d, "data-grab": "attachment", "data-attachment": of }, group);
      if (of === opened) this.handles(group, of, rings.flat(), grabbable.get(of));
    }
  }

  // A frame round it, a square to make it larger, a ring to turn it by.
  handles(group, of, points, kind) {
    const px = 1 / this.player.view.scale;
    const [across, down] = [0, 1].map((axis) => points.map((point) => point[axis]));
    const [left, right, top, bottom] = [Math.min(...across), Math.max(...across), Math.min(...down), Math.max(...down)];
    this.middle = { x: (left + right) / 2, y: (top + bottom) / 2 };
    const box = { x: left, y: top, width: right - left, height: bottom - top, fill: "none" };
    make("rect", { class: "frame-dark", ...box, "stroke-width": 3 * px }, group);
    make("rect", { class: "frame-light", ...box, "stroke-width": 1.2 * px }, group);
    this.handle(group, "grow", of, { x: right, y: bottom });
    if (TURNED.has(kind)) this.handle(group, "turn", of, { x: this.middle.x, y: top - ARM * px });
  }

  handle(group, grab, of, { x, y }) {
    const px = 1 / this.player.view.scale;
    const side = 2 * HANDLE * px;
    const round = grab === "turn" ? side / 2 : px;
    make(
      "rect",
      {
        class: "handle",
        x: x - side / 2,
        y: y - side / 2,
        width: side,
        height: side,
        rx: round,
        "stroke-width": 1.5 * px,
      },
      group,
    );
    const reach = { x: x - REACH * px, y: y - REACH * px, width: 2 * REACH * px, height: 2 * REACH * px };
    make("rect", { class: `handle-grab ${grab}`, ...reach, "data-grab": grab, "data-attachment": of }, group);
  }

  // The outlines of what is grabbed, in the picture.
  grabRings(shape, kind) {
    const box = (art) => [
      [0, 0],
      [art.width, 0],
      [art.width, art.height],
      [0, art.height],
    ];
    if (shape.shape === "artwork") {
      const [a, b, c, d, e, f] = shape.matrix;
      const corners = box(this.scene.artwork.list[shape.art]).map(([x, y]) => [a * x + c * y + e, b * x + d * y + f]);
      if (kind !== "flare") return [corners];
      const [x, y] = [0, 1].map((axis) => (corners[0][axis] + corners[2][axis]) / 2);
      const half = GRIP / this.player.view.scale;
      return [
        [
          [x - half, y - half],
          [x + half, y - half],
          [x + half, y + half],
          [x - half, y + half],
        ],
      ];
    }
    if (shape.shape === "flat" || shape.shape === "clip_frame") {
      const at = ([x, y]) => shape.matrix.map((row) => row[0] * x + row[1] * y + row[2]);
      return [
        box(this.scene.artwork.list[shape.art])
          .map(at)
          .map(([x, y, w]) => [x / w, y / w]),
      ];
    }
    if (shape.shape === "bent") return [seenEdge(shape, this.scene.artwork.list[shape.art])];
    // Sparks by the youngest, which are where they set off.
    if (kind === "sparks") return [roundAll(shape.specks.map(ringOfSpeck), GRIP / this.player.view.scale)];
    if (shape.shape === "cover" || shape.shape === "front")
      return shape.rings.map((ring) => ring.map(({ x, y }) => [x, y]));
    return [];
  }

  get viewTransform() {
    const { view } = this.player;
    return `translate(${view.x} ${view.y}) rotate(${(view.turn * 180) / Math.PI}) scale(${view.scale})`;
  }
}

// The edge of bent artwork: along each of its sides, points where they are seen.
function seenEdge({ own, seen, triangles }, { width, height }) {
  const corners = [
    [0, 0],
    [width, 0],
    [width, height],
    [0, height],
  ];
  const along = corners.flatMap(([x, y], i) => {
    const [u, v] = corners[(i + 1) % 4];
    return Array.from({ length: EDGE_POINTS }, (_, k) => ({
      x: x + ((u - x) * k) / EDGE_POINTS,
      y: y + ((v - y) * k) / EDGE_POINTS,
    }));
  });
  return along.map((at) => throughNet({ from: own, to: seen, triangles }, at)).map(({ x, y }) => [x, y]);
}
