// One's own name, passphrase and sessions.
import Alpine from "../vendor/alpine-csp.esm.js";
import { asking } from "./asking.js";
import { compose } from "./compose.js";

Alpine.data("you", () =>
  compose(asking(), {
    name: "",
    old: "",
    fresh: "",
    code: "",
    done: "",
    init() {
      this.name = this.$root.dataset.name;
    },
    async rename() {
      if (await this.ask("PATCH", "/api/you", { name: this.name })) window.location.reload();
    },
    async setPassphrase() {
      this.done = "";
      if (!(await this.ask("PUT", "/api/you/passphrase", { old: this.old, new: this.fresh }))) return;
      if (this.$root.dataset.passphrase === "false") return window.location.reload();
      this.old = this.fresh = "";
      this.done = "The new passphrase holds. Wherever else you were signed in, you are not any more.";
    },
    async beginFactor() {
      if (await this.ask("POST", "/api/you/second-factor", {})) window.location.reload();
    },
    async addFactor() {
      if (await this.ask("PUT", "/api/you/second-factor", { code: this.code })) window.location.reload();
    },
    async endFactor() {
      if (await this.ask("DELETE", "/api/you/second-factor", { code: this.code })) window.location.reload();
    },
    async bind() {
      const answer = await this.ask("POST", "/api/you/elsewhere", {});
      if (answer) window.location.assign(answer.to);
    },
    async unbind(button) {
      const { issuer } = button.dataset;
      if (await this.ask("DELETE", "/api/you/elsewhere", { issuer })) window.location.reload();
    },
    async end(button) {
      if (await this.ask("DELETE", `/api/you/sessions/${button.dataset.id}`)) window.location.reload();
    },
    async endOthers() {
      if (await this.ask("DELETE", "/api/you/sessions")) window.location.reload();
    },
  }),
);
Alpine.start();
