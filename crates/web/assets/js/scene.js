// The scene of one frame, painted exactly as the server evaluated it: a stack of elements from back to front.

import { filmPart, litShare } from "./film.js";
import { MARGIN, make, svgAddress } from "./svg.js";

const BLENDS = { add: "plus-lighter" }; // Where CSS has another word.
const DETAIL = 2; // Artwork in perspective has so many pixels to each of the film: the browser makes it smaller, not softer.
const GRIP = 14; // Half the side of what a flare is grabbed by, in CSS pixels.
const HANDLE = 6; // Half the side of a handle's mark, ...
const REACH = 14; // ... of what is grabbed of it, ...
const ARM = 26; // ... and how far the one for turning stands off.
const TURNED = new Set(["picture", "cover", "front"]); // What stands upright has no handle for it.

// What a drag makes of places in the picture, as the two rows of a map.
function draggedRows({ x, y, factor = 1, turn = 0, about = { x: 0, y: 0 } }) {
  const [cos, sin] = [factor * Math.cos(turn), factor * Math.sin(turn)];
  return [
    [cos, -sin, x + about.x - cos * about.x + sin * about.y],
    [sin, cos, y + about.y - sin * about.x - cos * about.y],
  ];
}

// First `inner`, then `outer`.
const joined = (outer, inner) =>
  outer.map(([a, b, x]) => [0, 1, 2].map((i) => a * inner[0][i] + b * inner[1][i] + (i === 2 ? x : 0)));
const cssMatrix = ([[a, b, x], [c, d, y]]) => `matrix(${a} ${c} ${b} ${d} ${x} ${y})`;

// A picture; for artwork that lies in perspective one is made of it.
function imageOf(art) {
  if (art.image) return { image: art.image, margin: 0, detail: 1 };
  const [width, height] = [art.width, art.height].map((side) => DETAIL * (side + 2 * MARGIN));
  art.flat ??= Object.assign(new Image(), { src: svgAddress(art, width, height), alt: "" });
  return { image: art.flat, margin: MARGIN, detail: DETAIL };
}

export class SceneStack {
  // `stack` holds the elements, `grabs` (in SVG, above them) what can be dragged.
  constructor(stack, grabs, player) {
    Object.assign(this, { stack, grabs, player, artwork: [], windows: null, shift: null });
  }

  // Takes what has come of the server's scene: its artwork, unless it is known.
  take({ artwork }) {
    if (!artwork) return;
    const images = this.artwork.filter((one) => one.image);
    this.artwork = artwork.map((art) => (art.href ? this.image(art, images) : art));
  }

  // Made when it is first seen: keyframes can make for a drawing a frame.
  group(art) {
    if (art.group) return art.group;
    art.group = make("g", { "data-part": "label" });
    const parsed = new DOMParser().parseFromString(art.svg, "image/svg+xml").documentElement;
    for (const child of [...parsed.childNodes]) art.group.append(document.importNode(child, true));
    return art.group;
  }

  image({ href, width, height }, known) {
    const at = known.findIndex((one) => one.image.getAttribute("src") === href);
    if (at >= 0) return known.splice(at, 1)[0];
    return { image: Object.assign(new Image(width, height), { src: href, alt: "" }), width, height };
  }

  drawables(frame) {
    return this.windows?.drawables(frame) ?? [];
  }

  paint(state) {
    // While it plays it is painted with the picture, on the same canvas.
    if (state.playing) return (this.stack.childNodes.length && this.stack.replaceChildren(), this.paintGrabs(state));
    const elements = [];
    let drawing = null;
    for (const drawable of this.drawables(this.player.shown)) {
      const element = this.element(drawable);
      if (!element) continue;
      if (drawable.blend !== "normal") element.style.mixBlendMode = BLENDS[drawable.blend] ?? drawable.blend;
      if (element instanceof SVGElement) {
        // What is drawn one after the other shares a drawing.
        if (!drawing) elements.push((drawing = this.drawing()));
        drawing.firstChild.append(element);
      } else {
        drawing = null;
        elements.push(element);
      }
    }
    this.stack.replaceChildren(...elements);
    this.paintGrabs(state);
  }

  get viewTransform() {
    const { view } = this.player;
    return `translate(${view.x} ${view.y}) rotate(${(view.turn * 180) / Math.PI}) scale(${view.scale})`;
  }

  drawing() {
    const svg = make("svg", {});
    make("g", { transform: this.viewTransform }, svg);
    return svg;
  }

  get picture() {
    return this.player.pictures.get(this.player.shown) ?? null;
  }

  element(drawable) {
    const { picture } = this;
    const lit = drawable.lit && picture ? litShare(drawable.lit, picture, this.player.size) : 1;
    const opacity = drawable.opacity * lit;
    if (opacity === 0) return null;
    const moved = this.shift?.of === drawable.of ? this.shift : null;
    if (!drawable.exposures) return this.single(drawable.shape, opacity, moved);
    return this.exposed(drawable, opacity, moved);
  }

  single(shape, opacity, moved) {
    if (shape.shape === "flat") return this.flat(shape, opacity, moved);
    if (shape.shape === "cover" || shape.shape === "front") return this.film(shape, opacity, moved);
    const element =
      { artwork: () => this.artworkElement(shape), line: () => this.line(shape) }[shape.shape]?.() ??
      this.outline(shape);
    // While a label is dragged its line stays behind, faintly; the server's answer joins them again.
    const stays = moved && !moved.all && shape.shape !== "artwork";
    element.setAttribute("opacity", stays ? 0.25 * opacity : opacity);
    if (!moved || stays) return element;
    const group = make("g", { transform: cssMatrix(draggedRows(moved)) });
    group.append(element);
    return group;
  }

  // The mean of several, as a film camera adds up light: each adds its share.
  exposed({ shape, exposures }, opacity, moved) {
    const flat = shape.shape === "flat";
    const group = flat ? Object.assign(document.createElement("div"), { className: "exposures" }) : make("g", {});
    group.style.isolation = "isolate";
    group.style.opacity = opacity;
    for (const { x, y } of exposures) {
      const at = { ...moved, x: x + (moved?.x ?? 0), y: y + (moved?.y ?? 0), all: true };
      const single = this.single(shape, 1 / exposures.length, at);
      const element = flat || shape.shape === "artwork" ? single.cloneNode(true) : single;
      element.style.mixBlendMode = "plus-lighter";
      group.append(element);
    }
    return group;
  }

  // From the film's picture, with what a drag makes of it, to the stage: the first two rows of a map.
  stageRows(moved) {
    const { scale, turn, x, y } = this.player.view;
    const [cos, sin] = [scale * Math.cos(turn), scale * Math.sin(turn)];
    const view = [
      [cos, -sin, x],
      [sin, cos, y],
    ];
    return moved ? joined(view, draggedRows(moved)) : view;
  }

  // From the picture's pixels to the film's picture, then to the stage, as one map of CSS.
  flat({ art, matrix }, opacity, moved) {
    const { image, margin, detail } = imageOf(this.artwork[art]);
    const [r, s, t] = matrix.map(([a, b, c]) => [a / detail, b / detail, c - margin * (a + b)]);
    const [right, below] = this.stageRows(moved).map(([a, b, x]) =>
      r.map((value, i) => a * value + b * s[i] + x * t[i]),
    );
    const column = (i) => [right[i], below[i], 0, t[i]];
    image.style.transform = `matrix3d(${[...column(0), ...column(1), 0, 0, 1, 0, ...column(2)].join(",")})`;
    image.style.opacity = opacity;
    image.style.mixBlendMode = "normal";
    return image;
  }

  // What shows the film's own picture.
  film(shape, opacity, moved) {
    const part = this.picture && filmPart(shape, this.picture, this.player.size);
    if (!part) return null;
    const { canvas, scale } = part;
    const [[a, b, x], [c, d, y]] = this.stageRows(moved);
    const at = [a * part.left + b * part.top + x, c * part.left + d * part.top + y];
    canvas.style.transform = `matrix(${a * scale},${c * scale},${b * scale},${d * scale},${at[0]},${at[1]})`;
    canvas.style.opacity = opacity;
    return canvas;
  }

  artworkElement({ art, matrix }) {
    const holder = make("g", { transform: `matrix(${matrix.join(" ")})` });
    holder.append(this.group(this.artwork[art]));
    return holder;
  }

  line({ from, to, width, colour }) {
    return make("line", {
      x1: from.x,
      y1: from.y,
      x2: to.x,
      y2: to.y,
      stroke: colour,
      "stroke-width": width,
      "stroke-linecap": "round",
    });
  }

  // A line through points, or what lies inside of polygons.
  outline(shape) {
    const closed = shape.shape === "area" || shape.closed;
    const d = (shape.rings ?? shape.lines)
      .map((line) => `M${line.map(({ x, y }) => `${x} ${y}`).join("L")}${closed ? "Z" : ""}`)
      .join("");
    const look =
      shape.shape === "area"
        ? { fill: shape.colour }
        : {
            fill: "none",
            stroke: shape.colour,
            "stroke-width": shape.width,
            "stroke-linejoin": "round",
            "stroke-linecap": shape.round ? "round" : "butt",
          };
    const element = make("path", { d, ...look });
    if (shape.blur > 0) element.style.filter = `blur(${shape.blur}px)`;
    return element;
  }

  // What can be dragged: every attachment of the selected subject, and the labels of all. The one whose settings are
  // open has handles.
  paintGrabs({ playing, grabbable, opened }) {
    this.grabs.setAttribute("transform", this.viewTransform);
    this.grabs.replaceChildren();
    this.middle = null;
    if (playing || !grabbable) return;
    const last = new Map(this.drawables(this.player.shown).map((drawable) => [drawable.of, drawable.shape]));
    for (const [of, shape] of last) {
      if (!grabbable.has(of)) continue;
      const rings = this.grabRings(shape, grabbable.get(of));
      if (!rings.length) continue;
      const group = make(
        "g",
        this.shift?.of === of ? { transform: cssMatrix(draggedRows(this.shift)) } : {},
        this.grabs,
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
      const corners = box(this.artwork[shape.art]).map(([x, y]) => [a * x + c * y + e, b * x + d * y + f]);
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
    if (shape.shape === "flat") {
      const at = ([x, y]) => shape.matrix.map((row) => row[0] * x + row[1] * y + row[2]);
      return [
        box(this.artwork[shape.art])
          .map(at)
          .map(([x, y, w]) => [x / w, y / w]),
      ];
    }
    if (shape.shape === "cover" || shape.shape === "front")
      return shape.rings.map((ring) => ring.map(({ x, y }) => [x, y]));
    return [];
  }
}
