// Pictures and logos on the selected subject.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call, failure } from "./api.js";

const copy = (value) => JSON.parse(JSON.stringify(Alpine.raw(value)));

export const picturing = () => ({
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
    if (hung) this.openId = hung.attachment;
  },
  // The corner that was the second becomes the first: the picture turns by a quarter on its face.
  quarterTurn() {
    const { lies, ...rest } = copy(this.attached);
    this.put({ ...rest, lies: { face: [...lies.face.slice(1), lies.face[0]] } }, "Turn the picture by a quarter");
  },
});

async function bringIn(project, file) {
  let response;
  try {
    response = await fetch(`/api/projects/${project}/pictures?name=${encodeURIComponent(file.name)}`, {
      method: "PUT",
      body: file,
    });
  } catch {
    throw failure("The server cannot be reached; the picture was not brought in.", "offline");
  }
  const answer = await response.json().catch(() => null);
  if (!response.ok)
    throw failure(answer?.message ?? `The server answered ${response.status}.`, answer?.error ?? "unknown");
  return answer;
}
