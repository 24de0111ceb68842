// What can be dragged of an area: its corners put it by hand, the points of its outline shape it, keep-outs are placed.
import { copy } from "./copy.js";

const FACE_TEXTS = {
  corner: "Drag: put this corner by hand; the face is seen so on this frame",
  outline: "Drag: move it. Alt + click: take it off",
  edge: "Drag: one more point here",
  "keep-out": "Drag: it is here on this frame",
};
export const faceText = (grab) => FACE_TEXTS[grab];
export const isFaceGrab = (grab) => grab in FACE_TEXTS;

export function dragFace(bench, player, { dataset, altKey }, from) {
  const { grab, pin, index, keepOut } = dataset;
  const face = bench.facesOn(bench.frame).find((one) => one.isPicked);
  const start = player.toPicture(from.x, from.y);
  const by = (at) => {
    const now = player.toPicture(at.x, at.y);
    return ({ x, y }) => ({ x: x + now.x - start.x, y: y + now.y - start.y });
  };
  const hasMoved = (at) => Math.hypot(at.x - from.x, at.y - from.y) > 1;
  const i = Number(index);
  const drags = {
    corner: {
      to: (at) => ({ corner: i, place: by(at)(face.quad[i]) }),
      put: ({ place }) => bench.setCorner(pin, place),
    },
    outline: {
      to: (at) => ({ points: face.points.map((point, n) => (n === i ? by(at)(point) : point)) }),
      put: ({ points }) => bench.putOutline(points, face.curved),
      click: () => {
        const rest = face.points.filter((_, n) => n !== i);
        if (altKey && rest.length > 2) return bench.putOutline(copy(rest), face.curved);
      },
    },
    edge: {
      to: (at) => {
        const next = face.points[(i + 1) % face.points.length];
        const middle = { x: (face.points[i].x + next.x) / 2, y: (face.points[i].y + next.y) / 2 };
        return { points: face.points.toSpliced(i + 1, 0, by(at)(middle)) };
      },
      put: ({ points }) => bench.putOutline(points, face.curved),
    },
    "keep-out": {
      to: (at) => ({ keepOut, points: face.keepOuts.find(({ id }) => id === keepOut).points.map(by(at)) }),
      put: ({ points }) => bench.putKeepOut(keepOut, points),
    },
  };
  const { to, put, click } = drags[grab];
  return {
    move: (at) => {
      bench.dragFace = to(at);
      bench.repaint();
    },
    end: async (at, cancelled) => {
      if (!cancelled) await (hasMoved(at) ? put(copy(to(at))) : click?.());
      bench.dragFace = null;
      bench.repaint();
    },
  };
}
