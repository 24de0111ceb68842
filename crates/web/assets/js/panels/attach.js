// What hangs on the selected subject: a list, what can be added, and what can be done to the one that is open.
import Alpine from "../../vendor/alpine-csp.esm.js";
import { call } from "../api.js";
import { cornerId } from "../boundary.js";
import { copy } from "../copy.js";
import { bringIn } from "../pictures.js";
import { countedName, easing, forms, kindName } from "../settings.js";

// What a cover does, in a word.
const EFFECTS = { streak: "directional blur", saturation: "less colour" };
const effectName = (effect) => {
  const [key] = Object.keys(effect);
  return EFFECTS[key] ?? key;
};

Alpine.data("attachPanel", () => ({
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
      cover: () => `${one.inside_out ? "all but it, " : ""}${effectName(one.effect)}`,
    }[one.kind]?.();
    return text ? `${kindName(one.kind)}: ${text}` : kindName(one.kind);
  },
  nothing: [],
  switchAttachment(id, on) {
    const one = copy(this.attachments.find((other) => other.id === id));
    one.show.on = on;
    this.put(one, `${on ? "Show" : "Do not show"} the ${kindName(one.kind).toLowerCase()}`);
  },
  removeAttachment() {
    const { id, kind } = this.attached;
    this.edit(`Remove the ${kindName(kind).toLowerCase()}`, {
      edit: "remove_attachment",
      subject: this.subject.id,
      attachment: id,
    });
  },
  placeAutomatically() {
    this.put({ ...copy(this.attached), placement: "auto" }, "Place the label by itself");
  },
  putKeys(keys, title) {
    const one = copy(this.attached);
    one.show.keys = keys;
    this.put(one, title);
  },
  keyHere(number, value) {
    const { frame } = this;
    const keys = copy(this.attached.show.keys);
    const there = keys.find((key) => key.number === number && key.frame === frame);
    if (there) there.value = value;
    else keys.push({ number, frame, value, easing: easing("slow, fast, slow") });
    this.putKeys(keys, `Keyframe ${frame}`);
  },
  // A file is brought in, and hung on the subject at once.
  async pictureChosen(field) {
    const [file] = field.files;
    field.value = "";
    if (!file || !this.subject) return;
    const { id } = this.subject;
    const project = this.project;
    const hung = await this.write(async () => {
      const made = await bringIn(project, file);
      const body = { revision: this.revision, frame: this.frame, picture: made.id };
      return call("POST", `${this.path}/subjects/${id}/pictures`, body);
    });
    if (hung) this.openId = hung.attachment;
  },
  // The other films of the project, to hang one on the subject.
  films: [],
  async loadFilms() {
    const { clips } = await call("GET", `/api/projects/${this.project}`).catch(() => ({ clips: [] }));
    this.films = clips.filter((clip) => clip.state === "ready" && clip.id !== this.clip.id);
  },
  get filmNames() {
    return this.films.map((film) => film.name);
  },
  async filmPicked(name) {
    const film = this.films.find((one) => one.name === name);
    if (!film || !this.subject) return;
    const body = { frame: this.frame, clip: film.id };
    const hung = await this.send("POST", `/subjects/${this.subject.id}/clips`, body);
    if (hung) this.openAttachment(hung.attachment);
  },
  // The corner that was the second becomes the first: it turns by a quarter on its face.
  quarterTurn() {
    const one = copy(this.attached);
    const { lies } = one;
    const turned = ([first, ...others]) => [...others, first];
    if (lies.face) lies.face = turned(lies.face);
    else {
      const drawn = lies.drawn ?? lies;
      drawn.corners = turned(drawn.corners);
    }
    this.put(one, `Turn the ${this.attachedName.toLowerCase()} by a quarter`);
  },
  get layText() {
    return this.isLying ? "Lay elsewhere" : "Lay on a face";
  },
  get canLie() {
    return ["label", "picture", "clip"].includes(this.attached?.kind);
  },

  // Looks that the open one could begin with.
  get beginnings() {
    const { kind } = this.attached ?? {};
    return { flare: forms.fresh.flare_looks, cover: forms.fresh.cover_looks }[kind] ?? [];
  },
  get beginningNames() {
    return this.beginnings.map((look) => look.name);
  },
  // It stays where it is; of a flare also when it fades.
  begunWith(name) {
    const look = copy(this.beginnings.find((one) => one.name === name) ?? null);
    if (!look) return;
    const one = copy(this.attached);
    const { place, fades_below } = one;
    if (look.flare) Object.assign(one, look.flare, { place, fades_below });
    else {
      const { effect, blend, opacity } = look;
      one.effect = effect;
      Object.assign(one.show, { blend, opacity });
    }
    this.put(one, `${this.attachedName}: ${name}`);
  },

  // It is drawn from the corner after the first.
  turnCorners() {
    const { corners, ...rest } = copy(this.attached);
    this.put({ ...rest, corners: [...corners.slice(1), corners[0]] }, "Draw the boundary line from the next corner");
  },

  // Without one of its corners a line would be another line: it is not drawn, and this says so.
  get missingCorners() {
    const corners = this.attached?.corners ?? this.attached?.lies?.face ?? [];
    const there = new Set([...(this.subject?.pins ?? []), ...(this.subject?.points ?? [])].map((one) => one.id));
    const gone = corners.filter((corner) => !there.has(cornerId(corner))).length;
    if (!gone) return "";
    const count = gone === 1 ? "One of its corners is" : `${gone} of its corners are`;
    const picture = "Remove it and bring the picture in again.";
    const again = this.isBoundary
      ? "Link it anew."
      : this.isLying
        ? picture
        : "Remove it and hang it on the line again.";
    return `${count} gone, so it is not shown. ${again}`;
  },
}));
