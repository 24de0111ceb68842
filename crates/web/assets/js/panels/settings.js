// The settings of the attachment that is open: fields as the server has them, each change one edit.
import Alpine from "../../vendor/alpine-csp.esm.js";
import { call } from "../api.js";
import { edgeColour } from "../colour_key.js";
import { copy } from "../copy.js";
import { forms, get, groupsOf, isKeyable, kindName, same, steps } from "../settings.js";

function set(into, path, value) {
  const all = steps(path);
  const last = all.pop();
  all.reduce((at, step) => at[step], into)[last] = value;
}

// What begins to go along with the subject's turn, growth or perspective does so from this frame on: on it, nothing
// moves.
function beginHere(one, path, frame) {
  const facing = path.includes("facing.") ? get(one, steps(path).slice(0, -1).join(".")) : null;
  if (!facing || facing.turns || facing.grows || facing.tilts || one.show.takes.share !== 1) return;
  facing.since = frame;
}

Alpine.data("settingsPanel", () => ({
  // Groups of rows of fields, each with its value as it is shown.
  get attachGroups() {
    const one = Alpine.raw(this.attached);
    if (!one) return [];
    const seen = { ...copy(one), offset: this.offset };
    return groupsOf(seen).map((group, i) => ({
      key: `${one.kind}${i}`,
      title: group.title,
      first: i === 0,
      rows: group.rows.map((row, j) => ({
        key: j,
        title: row.title,
        fields: row.fields.map((field, k) => this.fieldOf(seen, field, k)),
      })),
    }));
  },
  fieldOf(one, field, key) {
    const keys = isKeyable(field) ? one.show.keys.filter((key) => key.number === field.path) : [];
    // While it plays nobody reads this, and it would be worked out for each frame.
    const here = keys.length && !this.playing ? this.frame : null;
    const value = keys.length ? keys.find((key) => key.frame === here)?.value : get(one, field.path);
    const missing = value === undefined || value === null;
    const shown = {
      number: () => (missing ? "" : Math.round(value * (field.factor ?? 1) * 1000) / 1000),
      colour: () => value ?? "#ffffff",
      check: () => Boolean(value),
      part: () => !missing,
      text: () => (field.within ? (value?.text ?? "") : (value ?? "")),
      action: () => null,
      choice: () =>
        field.options.findIndex(([, other]) =>
          field.byKey ? same(Object.keys(other), Object.keys(value)) : same(other, value),
        ),
    }[field.as]();
    const choices = field.options?.map(([text], i) => ({ value: i, text, chosen: i === shown })) ?? [];
    // What belongs to a part that is not there cannot be set.
    const parent = steps(field.path).slice(0, -1).join(".");
    if (keys.length) return { ...field, key, shown, choices, off: false, keyed: true, placeholder: "keyed" };
    const off =
      field.as === "part"
        ? parent !== "" && get(one, parent) === null
        : missing && !field.nullable && field.as !== "text" && field.path !== "colour";
    return { ...field, key, shown, choices, off };
  },
  fieldSet(field, entered) {
    const one = copy(this.attached);
    const value = this.entered(field, entered, get(one, field.path));
    if (Number.isNaN(value)) return this.say("That is no number; the setting stays as it was.", true);
    if (field.keyed) return this.keyHere(field.path, value);
    if (field.derived) return this.offsetTyped(field.path.endsWith("x") ? "x" : "y", value);
    if (field.keepsShape) one.size = [value, (one.size[1] * value) / one.size[0]];
    else {
      if (value) beginHere(one, field.path, this.frame);
      set(one, field.path, value);
    }
    this.put(one, `${kindName(one.kind)}: ${field.name.toLowerCase()}`);
  },
  entered(field, entered, old) {
    switch (field.as) {
      case "number": {
        if (entered === "" && field.nullable) return null;
        const number = entered === "" ? NaN : Number(entered) / (field.factor ?? 1);
        return field.whole ? Math.round(number) : number;
      }
      case "part":
        return entered ? copy(field.fresh) : null;
      case "choice":
        return copy(field.options[entered][1]);
      case "text":
        if (entered.trim() === "") return null;
        return field.within ? { ...copy(field.within), ...old, text: entered } : entered;
      default:
        return entered;
    }
  },
  get offset() {
    const found = this.offsetInScene(this.attached?.id);
    return found ? { x: Math.round(found.x), y: Math.round(found.y) } : { x: 0, y: 0 };
  },
  offsetTyped(axis, value) {
    this.put({ ...copy(this.attached), placement: { offset: { ...this.offset, [axis]: value } } }, "Move the label");
  },

  doIt(field) {
    this[field.does]();
  },
  // Blur from motion as the film has it.
  async measureShutter() {
    const { id } = this.attached;
    const measured = await call("GET", `${this.path}/shutter`).catch((error) => this.say(error.message, true));
    // It takes some seconds: meanwhile another may have been opened, or this one changed.
    if (!measured || this.attached?.id !== id) return;
    const { degrees, frames } = measured;
    const one = copy(this.attached);
    one.show.shutter = degrees;
    await this.put(one, "Shutter as filmed");
    this.say(
      `The shutter was open for ${degrees}° of a frame, as ${frames} comparisons of fast frames with slow ones show.`,
    );
  },
  // The background's colour as the edge of the clip's first picture has it.
  async keyFromEdge() {
    const { id, picture } = this.attached;
    const image = Object.assign(new Image(), { src: `/clips/${picture}/frames/0.jpg` });
    await image.decode();
    const { naturalWidth: width, naturalHeight: height } = image;
    const context = new OffscreenCanvas(width, height).getContext("2d");
    context.drawImage(image, 0, 0);
    const colour = edgeColour(context.getImageData(0, 0, width, height));
    if (this.attached?.id !== id) return;
    const one = copy(this.attached);
    one.key = { ...(one.key ?? forms.fresh.colour_key), colour };
    this.put(one, "Background taken out");
  },
  beginOpen(details, open) {
    details.open = open;
  },
}));
