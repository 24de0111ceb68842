// Who is in a project, and as what.
import { call, listen } from "./api.js";

export const members = () => ({
  members: [],
  name: "",
  role: "editor",
  problem: "",
  isOwner: false,
  init() {
    const { project, role, me } = document.body.dataset;
    Object.assign(this, { path: `/api/projects/${project}/members`, isOwner: role === "owner", me });
    this.load();
    const changed = ({ event }) => event === "project" && this.load();
    listen({ project }, changed, () => {});
  },
  async load() {
    const members = await call("GET", this.path).catch(() => null);
    if (members) this.members = members.map((member) => ({ ...member, isMe: member.id === this.me }));
  },
  async add() {
    if (await this.ask("PUT", this.path, { name: this.name, role: this.role })) this.name = "";
  },
  setRole(member, select) {
    return this.ask("PUT", this.path, { name: member.name, role: select.value });
  },
  async remove(member) {
    const ask = member.isMe ? "Leave this project?" : `Take ${member.name} out of this project?`;
    if (!window.confirm(ask)) return;
    const gone = await this.ask("DELETE", `${this.path}/${member.id}`);
    if (gone && member.isMe) window.location.assign("/");
  },
  async ask(method, path, body) {
    this.problem = "";
    try {
      await call(method, path, body);
      return true;
    } catch (error) {
      this.problem = error.message;
      return false;
    } finally {
      await this.load();
    }
  },
});
