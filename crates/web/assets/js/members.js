// Who is in a project, and as what.
import { call, listen } from "./api.js";
import { asking } from "./asking.js";
import { compose } from "./compose.js";

export const members = () =>
  compose(asking(), {
    members: [],
    name: "",
    role: "editor",
    isOwner: false,
    init() {
      const { project, role, me } = document.body.dataset;
      Object.assign(this, { path: `/api/projects/${project}/members`, isOwner: role === "owner", me });
      this.load();
      const changed = ({ event }) => event === "project" && this.load();
      listen({ project }, changed, (open) => open && this.load());
    },
    async load() {
      const members = await call("GET", this.path).catch(() => null);
      if (members) this.members = members.map((member) => ({ ...member, isMe: member.id === this.me }));
    },
    async add() {
      if (await this.change("PUT", this.path, { name: this.name, role: this.role })) this.name = "";
    },
    setRole(member, select) {
      return this.change("PUT", this.path, { name: member.name, role: select.value });
    },
    async remove(member) {
      const ask = member.isMe ? "Leave this project?" : `Take ${member.name} out of this project?`;
      if (!window.confirm(ask)) return;
      const gone = await this.change("DELETE", `${this.path}/${member.id}`);
      if (gone && member.isMe) window.location.assign("/");
    },
    async change(method, path, body) {
      const done = await this.ask(method, path, body);
      await this.load();
      return done;
    },
  });
