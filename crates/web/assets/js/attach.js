// What hangs on the selected subject: a list, the one that is open, and each change of it as one edit.
import Alpine from "../vendor/alpine-csp.esm.js";
import { copy } from "./copy.js";
import { polygon } from "./face.js";
import { forms, kindName, same } from "./settings.js";

const CLIPBOARD = "jampin.attachment";

export const attaching = (parts) => ({
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
  get attachedName() {
    return kindName(this.attached.kind);
  },
  get isBoundary() {
    return this.attached?.kind === "boundary";
  },
  get isLabel() {
    return this.attached?.kind === "label";
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
  openLabel() {
    this.openAttachment(this.label.id);
    this.$nextTick(() => this.focusOn("label-text"));
  },
  offsetInScene(id) {
    return (this.sceneSeen, parts.overlay.sceneData?.offsets.find((one) => one.attachment === id)?.offset ?? null);
  },
  put(attachment, title) {
    return this.edit(title, { edit: "put_attachment", subject: this.subject.id, attachment });
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

  // --- lying on a face ----------------------------------------------------------------------------------------------

  get isLying() {
    const { lies } = this.attached ?? {};
    return Boolean(lies?.corners ?? lies?.drawn ?? lies?.face);
  },
  // On what the subject shows: four pins or points, or an area of four corners; else its corners are clicked.
  layDown() {
    const { areas } = this;
    const seen = areas.length
      ? areas.some(({ bends, drawn: { outline } }) => bends || (outline.points.length === 4 && !outline.curved))
      : this.linkable.length >= 4;
    if (seen && !this.isLying) return this.layOn(null);
    return this.beginOutline("face");
  },
  layOn(corners) {
    if (corners?.length === 3) return this.say("A face has four corners: begin again and click all of them.", true);
    return this.send("POST", `/attachments/${this.attached.id}/lay`, { frame: this.frame, corners });
  },
  standUp() {
    const { frame } = this;
    const one = copy(this.attached);
    if (one.kind === "label") this.put({ ...one, lies: null, placement: "auto", turn: 0 }, "Stand the label up");
    else this.put({ ...one, ...this.facingCamera(one, frame) }, "Face the picture to the camera");
  },
  // As large as one that is hung there.
  facingCamera({ pixels: [width, height] }, since) {
    const wide = Math.round(forms.fresh.picture_share * this.clip.width);
    const facing = { since, turns: true, grows: true, tilts: false };
    return { lies: { facing }, place: { x: 0, y: 0 }, size: [wide, (wide * height) / width], turn: 0 };
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
    if (this.area) return this.coverArea(false);
    const { cover, cover_of_pattern } = copy(forms.fresh);
    const size = this.pin.pattern.map((side) => Math.round(side * cover_of_pattern));
    const facing = { ...cover.facing, since: this.frame };
    this.hang({ ...cover, id: crypto.randomUUID(), kind: "cover", size, facing }, "Cover");
  },
  // Everything but it: round its area, else an outline is drawn.
  addAllBut() {
    if (!this.subject) return;
    if (this.area) return this.coverArea(true);
    this.beginOutline("all_but");
  },
  coverArea(inside_out) {
    const { outline, frame } = this.area.drawn;
    return this.coverWithin(polygon(outline), frame, inside_out);
  },
  async coverWithin(outline, frame, inside_out) {
    const made = await this.send("POST", `/subjects/${this.subject.id}/covers`, { frame, outline, inside_out });
    if (made) this.openAttachment(made.attachment);
  },
  addFlare() {
    if (!this.subject) return;
    const { flare, flare_looks } = copy(forms.fresh);
    this.hang({ ...flare, id: crypto.randomUUID(), kind: "flare", ...flare_looks[0].flare }, "Flare");
  },
  // Along the boundary line, where one is open.
  addSparks() {
    if (!this.subject) return;
    const { corners, closed } = this.isBoundary ? copy(this.attached) : { corners: [], closed: false };
    this.hang({ ...copy(forms.fresh.sparks), id: crypto.randomUUID(), kind: "sparks", corners, closed }, "Sparks");
  },
  addFront(outline) {
    const { front, front_brightness } = copy(forms.fresh);
    const drawn = outline.length > 0;
    const one = { ...front, id: crypto.randomUUID(), kind: "front", outline, since: this.frame, rides: drawn };
    if (!drawn) one.brightness = front_brightness;
    this.hang(one, drawn ? "Outline in front" : "Dark or bright parts in front");
  },

  // --- looks, copy and paste --------------------------------------------------------------------------------------

  looks: [],
  cornersOf(one) {
    const corners = one.corners?.length ? one.corners : one.lies?.face;
    return corners && copy(corners);
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
      if (one.corners) one.corners = corners;
      else one.lies.face = corners;
    }
    this.hang(one, `Paste the ${kindName(one.kind).toLowerCase()}`);
  },
});
