// The label of the selected subject: its settings, and each change as one edit.
import Alpine from "../vendor/alpine-csp.esm.js";

const DEFAULT_BOX = { fill: "#16202a", opacity: 0.78, padding: 10, radius: 5 };

export const labelling = (parts) => ({
  get label() {
    return this.attachment ?? null;
  },
  get attachment() {
    return this.subject?.attachments.find((one) => one.kind === "label") ?? null;
  },
  get boxOpacity() {
    return Math.round((this.label?.box?.opacity ?? 0) * 100);
  },
  get labelStrength() {
    return Math.round((this.label?.show.opacity ?? 1) * 100);
  },
  get offset() {
    const seen = this.sceneSeen && this.attachment;
    const found = seen && parts.overlay.sceneData?.offsets.find((one) => one.attachment === this.attachment.id);
    return found ? { x: Math.round(found.offset.x), y: Math.round(found.offset.y) } : { x: 0, y: 0 };
  },

  putLabel(change, title) {
    const attachment = { ...JSON.parse(JSON.stringify(Alpine.raw(this.attachment))), ...change };
    return this.edit(title, { edit: "put_attachment", subject: this.subject.id, attachment });
  },
  labelTyped(what, value) {
    const { box, show } = JSON.parse(JSON.stringify(Alpine.raw(this.label)));
    const change = {
      text: () => ({ text: value === "" ? null : value }),
      font: () => ({ font: value }),
      size: () => ({ size: Number(value) }),
      colour: () => ({ colour: value }),
      box: () => ({ box: value ? DEFAULT_BOX : null }),
      fill: () => ({ box: { ...box, fill: value } }),
      opacity: () => ({ box: { ...box, opacity: Number(value) / 100 } }),
      line: () => ({ line_width: value ? 2 : null }),
      line_width: () => ({ line_width: Number(value) }),
      takes: () => ({ takes: value }),
      first: () => ({ show: { ...show, first: value === "" ? null : Math.round(Number(value)) } }),
      last: () => ({ show: { ...show, last: value === "" ? null : Math.round(Number(value)) } }),
      strength: () => ({ show: { ...show, opacity: Number(value) / 100 } }),
      blend: () => ({ show: { ...show, blend: value } }),
      fade_frames: () => ({ fade_frames: Math.max(0, Math.round(Number(value))) }),
    }[what]();
    this.putLabel(change, "Change the label");
  },
  offsetTyped(axis, text) {
    const offset = { ...this.offset, [axis]: Number(text) };
    this.putLabel({ placement: { offset } }, "Move the label");
  },
  placeAutomatically() {
    this.putLabel({ placement: "auto" }, "Place the label by itself");
  },
  addLabel() {
    if (!this.subject || this.label) return;
    const attachment = {
      id: crypto.randomUUID(), kind: "label", text: null, font: "sans", size: 26, colour: "#ffffff", box: DEFAULT_BOX,
      line_width: 2, line_colour: null, placement: "auto", takes: "position", fade_frames: 6,
    };
    this.edit("Add a label", { edit: "put_attachment", subject: this.subject.id, attachment });
  },
  removeLabel() {
    const edit = { edit: "remove_attachment", subject: this.subject.id, attachment: this.attachment.id };
    this.edit("Remove the label", edit);
  },
});
