// The forms of what can be set, as the server has them: groups of rows of fields. Here is only what depends on the
// attachment that is shown.
import { call } from "./api.js";

// Until they have come nothing is open that could be set.
export const forms = { attachments: {}, easings: [], steps: [], fresh: {}, pin: null, present: [] };
export const loadForms = async (path) => Object.assign(forms, await call("GET", `${path}/forms`));

export const same = (a, b) => JSON.stringify(a) === JSON.stringify(b);
export const steps = (path) => path.split(".");
export const get = (from, path) => steps(path).reduce((at, step) => at?.[step], from);
export const kindName = (kind) => forms.attachments[kind]?.name ?? "";
export const countedName = (kind, count) => forms.attachments[kind]?.counted[count === 1 ? 0 : 1] ?? "";
export const easing = (name) => forms.easings.find(([known]) => known === name)?.[1];

// Which part of a picture sits on the subject: places of its middle.
function anchors({ size: [width, height], place }) {
  const at = (x, y) => ({ x: (x * width) / 2, y: (y * height) / 2 });
  const all = [
    ["its top left", at(1, 1)],
    ["its top", at(0, 1)],
    ["its top right", at(-1, 1)],
    ["its left", at(1, 0)],
    ["its middle", at(0, 0)],
    ["its right", at(-1, 0)],
    ["its bottom left", at(1, -1)],
    ["its bottom", at(0, -1)],
    ["its bottom right", at(-1, -1)],
  ];
  return all.some(([, known]) => same(known, place)) ? all : [["nothing of it", place], ...all];
}

// Where the text of a boundary line can be.
function edges({ corners, closed }) {
  const count = closed ? corners.length : corners.length - 1;
  const on = Array.from({ length: count }, (_, i) => [`on the line from corner ${i + 1}`, { edge: i }]);
  return [["in the middle", "middle"], ...on];
}

// What is drawn is no choice; it can be given up for one.
function outlines({ outline }) {
  const all = [
    ["ellipse", "ellipse"],
    ["box", "box"],
    ["rounded box", "rounded"],
  ];
  return outline.drawn ? [["as drawn", outline], ...all] : all;
}

const CHOICES = { anchors, edges, outlines };

// Groups, rows and fields that this attachment has.
export function groupsOf(one) {
  const there = ({ when }) => !when || (get(one, when) ?? null) !== null;
  const filled = (field) => (field.options_of ? { ...field, options: CHOICES[field.options_of](one) } : field);
  const groups = forms.attachments[one.kind]?.groups ?? [];
  return groups.filter(there).map((group) => ({
    ...group,
    rows: group.rows
      .map((row) => ({ ...row, fields: row.fields.filter(there).map(filled) }))
      .filter((row) => row.fields.length),
  }));
}

// The numbers that can have keyframes. Size, turn, place and opacity have some of their own, on top of what is set.
export const isKeyable = (field) => Boolean(field.keyable);
export const keyableOf = (one) =>
  groupsOf(one)
    .flatMap((group) => group.rows.flatMap((row) => row.fields))
    .filter((field) => isKeyable(field) && typeof get(one, field.path) === "number");
