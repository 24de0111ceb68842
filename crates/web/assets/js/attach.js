// What hangs on the selected subject: a list, the one that is open, and each change of it as one edit.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call } from "./api.js";
import { forms, get, groupsOf, isKeyable, same, steps } from "./settings.js";

const copy = (value) => JSON.parse(JSON.stringify(Alpine.raw(value)));
const nameOf = (kind) => forms.attachments[kind]?.name ?? "";
const countedName = (kind, count) => forms.attachments[kind]?.counted[count === 1 ? 0 : 1] ?? "";
const CLIPBOARD = "jampin.attachment";

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

export const attaching = (parts) => ({
  nothing: [],
  openId: null, // The attachment whose settings are open; else the one that was hung last.

  get attachments() {
    return this.subject?.attachments ?? [];
  },
  get attached() {
    return this.attachments.find((one) => one.id === this.openId) ?? this.attachments.at(-1) ?? null;
  },
  get label() {
    return this.attachments.find((one) => one.kind === "label") ?? null;
  },
  get boundary() {
    return this.attachments.find((one) => one.kind === "boundary") ?? null;
  },
  get flare() {
    return this.attachments.find((one) => one.kind === "flare") ?? null;
  },
  get attachText() {
    const kinds = [...new Set(this.attachments.map((one) => one.kind))];
    const counted = kinds.map((kind) => [this.attachments.filter((one) => one.kind === kind).length, kind]);
    return counted.map(([count, kind]) => `${count} ${countedName(kind, count)}`).join(", ") || "nothing hangs on it";
  },
  get attachRows() {
    return this.attachments.map((one) => ({
      id: one.id,
      name: this.nameOf(one),
      on: one.id === this.attached.id,
      shown: one.show.on,
    }));
  },
  nameOf(one) {
    const text = {
      label: () => one.text ?? this.subject.name,
      boundary: () => `${one.corners.length} corners, ${one.closed ? "closed" : "open"}`,
      cover: () => Object.keys(one.effect)[0],
    }[one.kind]?.();
    return text ? `${nameOf(one.kind)}: ${text}` : nameOf(one.kind);
  },
  get attachedName() {
    return nameOf(this.attached.kind);
  },
  get isBoundary() {
    return this.attached?.kind === "boundary";
  },
  get isFlare() {
    return this.attached?.kind === "flare";
  },
  get isFace() {
    return Boolean(this.attached?.lies?.face);
  },
  get isLabel() {
    return this.attached?.kind === "label";
  },

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

  // --- changing ---------------------------------------------------------------------------------------------------

  openAttachment(id) {
    this.openId = id;
    this.repaint();
  },
  // Clicked on in the picture: its settings come into view, and nothing else.
  openFromPicture(id) {
    this.openAttachment(id);
    this.showPart("attach");
  },
  // One part of the card, the others closed to a line each.
  showPart(name) {
    const parts = [...this.$root.querySelectorAll("details[data-part]")];
    for (const part of parts) part.open = part.dataset.part === name;
    this.$nextTick(() => parts.find((part) => part.open)?.scrollIntoView({ block: "start" }));
  },
  beginOpen(details, open) {
    details.open = open;
  },
  openLabel() {
    this.openAttachment(this.label.id);
    this.$nextTick(() => this.focusOn("label-text"));
  },
  put(attachment, title) {
    return this.edit(title, { edit: "put_attachment", subject: this.subject.id, attachment });
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
    this.put(one, `${nameOf(one.kind)}: ${field.name.toLowerCase()}`);
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
    const found =
      this.sceneSeen && parts.overlay.sceneData?.offsets.find((one) => one.attachment === this.attached?.id);
    return found ? { x: Math.round(found.offset.x), y: Math.round(found.offset.y) } : { x: 0, y: 0 };
  },
  offsetTyped(axis, value) {
    this.put({ ...copy(this.attached), placement: { offset: { ...this.offset, [axis]: value } } }, "Move the label");
  },
  placeAutomatically() {
    this.put({ ...copy(this.attached), placement: "auto" }, "Place the label by itself");
  },
  // Dragged on the picture: the server says what that makes of its place.
  async dragged(attachment, from, to) {
    const { frame } = this;
    const owner = this.subjects.find((one) => one.attachments.some((other) => other.id === attachment));
    this.select(owner.id);
    this.openId = attachment;
    await this.send("POST", `/attachments/${attachment}/move`, { frame, from, to });
  },
  // By its handles.
  async reshaped(attachment, factor, degrees) {
    const said = await this.send("POST", `/attachments/${attachment}/reshape`, { factor, degrees });
    if (said) return;
    parts.overlay.scene.shift = null;
    this.repaint();
  },
  removeAttachment() {
    const { id, kind } = this.attached;
    this.edit(`Remove the ${nameOf(kind).toLowerCase()}`, {
      edit: "remove_attachment",
      subject: this.subject.id,
      attachment: id,
    });
  },
  switchAttachment(id, on) {
    const one = copy(this.attachments.find((other) => other.id === id));
    one.show.on = on;
    this.put(one, `${on ? "Show" : "Do not show"} the ${nameOf(one.kind).toLowerCase()}`);
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

  // --- adding -----------------------------------------------------------------------------------------------------

  hang(attachment, title) {
    this.openId = attachment.id;
    return this.put(attachment, title);
  },
  addLabel() {
    if (!this.subject) return;
    this.hang({ ...copy(forms.fresh.label), id: crypto.randomUUID(), kind: "label" }, "Add a label");
  },
  // Over the pattern of the pin, half as large again; behind all that hangs there, as it is the picture that it
  // changes.
  addCover() {
    if (!this.pin) return;
    const { cover, cover_of_pattern } = copy(forms.fresh);
    const size = this.pin.pattern.map((side) => Math.round(side * cover_of_pattern));
    const facing = { ...cover.facing, since: this.frame };
    this.hang({ ...cover, id: crypto.randomUUID(), kind: "cover", size, facing }, "Cover");
  },
  addFront(outline) {
    const { front, front_brightness } = copy(forms.fresh);
    const drawn = outline.length > 0;
    const one = { ...front, id: crypto.randomUUID(), kind: "front", outline, since: this.frame, rides: drawn };
    if (!drawn) one.brightness = front_brightness;
    this.hang(one, drawn ? "Outline in front" : "Dark or bright parts in front");
  },

  // --- an outline drawn by hand -----------------------------------------------------------------------------------

  outlining: null, // Corners clicked so far, in the picture.
  get outliningText() {
    const { length } = this.outlining ?? [];
    if (length === 0) return "Click round what stands in front";
    return length < 3 ? `${length} corners: click the next` : `${length} corners: the first again, or Enter, closes it`;
  },
  beginOutline() {
    if (!this.subject) return;
    this.adding = this.linking = null;
    this.outlining = this.outlining ? null : [];
    this.repaint();
  },
  outlineTo(x, y) {
    const [first] = this.outlining;
    const near = 10 / parts.player.view.scale;
    if (this.outlining.length > 2 && Math.hypot(first.x - x, first.y - y) < near) return this.endOutline();
    this.outlining = [...this.outlining, { x, y }];
    this.repaint();
  },
  endOutline() {
    const outline = copy(this.outlining);
    this.outlining = null;
    this.repaint();
    if (outline.length > 2) this.addFront(outline);
  },

  // --- looks, copy and paste --------------------------------------------------------------------------------------

  looks: [],
  get lookNames() {
    const kind = this.attached?.kind;
    return this.looks.filter((look) => look.kind === kind).map((look) => look.look);
  },
  get dressText() {
    const name = this.attached?.look;
    if (!name) return "Its look is its own.";
    const count = this.subjects.flatMap((one) => one.attachments).filter((one) => one.look === name).length;
    return `Look “${name}”: a change here changes ${count === 1 ? "it" : `all ${count} that have it`}.`;
  },
  dress(name, all) {
    if (!name.trim()) return this.say("Give the look a name first.", true);
    const { id } = this.attached;
    return this.send("PUT", `/attachments/${id}/look/${encodeURIComponent(name.trim())}`, { all });
  },
  leaveLook() {
    this.put({ ...copy(this.attached), look: null }, "A look of its own");
  },
  cornersOf(one) {
    return one.kind === "boundary" ? copy(one.corners) : one.lies?.face ? copy(one.lies.face) : undefined;
  },
  // What a corner can be: the pins of the subject, then its carried points.
  get linkable() {
    return [
      ...this.subject.pins.map((pin) => ({ pin: pin.id })),
      ...this.subject.points.map((point) => ({ point: point.id })),
    ];
  },
  copyAttachment() {
    if (!this.attached) return;
    // Corners are copied as places in the list of the subject's pins and points.
    const links = this.cornersOf(this.attached)?.map((corner) =>
      this.linkable.findIndex((other) => same(other, corner)),
    );
    localStorage.setItem(CLIPBOARD, JSON.stringify({ ...copy(this.attached), links }));
    this.say(`${this.attachedName} copied. Paste it on another subject, here or in another shot: Ctrl V.`);
  },
  pasteAttachment() {
    const text = localStorage.getItem(CLIPBOARD);
    if (!this.subject || !text) return this.say("Nothing was copied yet: open an attachment and press Ctrl C.");
    const { links, ...one } = { ...JSON.parse(text), id: crypto.randomUUID() };
    if (links) {
      const corners = links.map((link) => this.linkable[link]);
      if (corners.includes(undefined))
        return this.say(
          `This one goes through ${links.length} pins or points. Put as many on this subject, in the same order, then paste it.`,
          true,
        );
      if (one.kind === "boundary") one.corners = corners;
      else one.lies.face = corners;
    }
    this.hang(one, `Paste the ${nameOf(one.kind).toLowerCase()}`);
  },
});
