// Looks: what attachments of one kind can share under a name.
import Alpine from "../../vendor/alpine-csp.esm.js";
import { copy } from "../copy.js";

Alpine.data("lookPanel", () => ({
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
}));
