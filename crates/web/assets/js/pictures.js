// Pictures and logos on the selected subject.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call, failure } from "./api.js";

const copy = (value) => JSON.parse(JSON.stringify(Alpine.raw(value)));

export const picturing = () => ({
  picture: null, // The one whose settings are open; else the last that hangs here.

  get pictureShown() {
    const all = this.subject?.attachments.filter((one) => one.kind === "picture") ?? [];
    return all.find((one) => one.id === this.picture) ?? all[all.length - 1] ?? null;
  },
  get pictureRows() {
    const all = this.subject?.attachments.filter((one) => one.kind === "picture") ?? [];
    return all.map((one, i) => ({ id: one.id, text: `Picture ${i + 1}`, on: one.id === this.pictureShown.id }));
  },
  get pictureFace() {
    return Boolean(this.pictureShown?.lies.face);
  },
  get pictureText() {
    return this.pictureFace ? "on the face of four corners" : "facing the camera";
  },
  get pictureUnit() {
    return this.pictureFace ? "% of it" : "px";
  },
  get pictureNumbers() {
    const { size, place } = this.pictureShown;
    const show = (value) => (this.pictureFace ? Math.round(value * 1000) / 10 : Math.round(value * 10) / 10);
    return { width: show(size[0]), height: show(size[1]), x: show(place.x), y: show(place.y) };
  },
  get pictureOpacity() {
    return Math.round(this.pictureShown.show.opacity * 100);
  },

  choosePicture(id) {
    this.picture = id;
    this.repaint();
  },
  // A file is brought in, and hung on the subject at once.
  async pictureChosen(field) {
    const [file] = field.files;
    field.value = "";
    if (!file || !this.subject) return;
    const { id } = this.subject;
    const project = this.$root.dataset.project;
    const hung = await this.write(async () => {
      const made = await bringIn(project, file);
      const body = { revision: this.revision, frame: this.frame, picture: made.id };
      return call("POST", `${this.path}/subjects/${id}/pictures`, body);
    });
    if (hung) this.picture = hung.attachment;
  },
  putPicture(change, title = "Change the picture") {
    const attachment = { ...copy(this.pictureShown), ...change };
    return this.edit(title, { edit: "put_attachment", subject: this.subject.id, attachment });
  },
  pictureTyped(what, value) {
    const { size, place, lies, show } = copy(this.pictureShown);
    const number = Number(value);
    const own = this.pictureFace ? number / 100 : number;
    this.putPicture({
      width: () => ({ size: [own, this.pictureFace ? size[1] : (size[1] * own) / size[0]] }),
      height: () => ({ size: [size[0], own] }),
      x: () => ({ place: { ...place, x: own } }),
      y: () => ({ place: { ...place, y: own } }),
      turn: () => ({ turn: number }),
      turns: () => ({ lies: { facing: { ...lies.facing, turns: value } } }),
      grows: () => ({ lies: { facing: { ...lies.facing, grows: value } } }),
      fade: () => ({ fade_frames: Math.max(0, Math.round(number)) }),
      opacity: () => ({ show: { ...show, opacity: number / 100 } }),
      blend: () => ({ show: { ...show, blend: value } }),
      first: () => ({ show: { ...show, first: value === "" ? null : Math.round(number) } }),
      last: () => ({ show: { ...show, last: value === "" ? null : Math.round(number) } }),
    }[what]());
  },
  // The corner that was the second becomes the first: the picture turns by a quarter on its face.
  quarterTurn() {
    const { face } = copy(this.pictureShown.lies);
    this.putPicture({ lies: { face: [...face.slice(1), face[0]] } }, "Turn the picture by a quarter");
  },
  removePicture() {
    this.edit("Remove the picture", { edit: "remove_attachment", subject: this.subject.id, attachment: this.pictureShown.id });
  },
});

async function bringIn(project, file) {
  let response;
  try {
    response = await fetch(`/api/projects/${project}/pictures?name=${encodeURIComponent(file.name)}`, { method: "PUT", body: file });
  } catch {
    throw failure("The server cannot be reached; the picture was not brought in.", "offline");
  }
  const answer = await response.json().catch(() => null);
  if (!response.ok) throw failure(answer?.message ?? `The server answered ${response.status}.`, answer?.error ?? "unknown");
  return answer;
}
