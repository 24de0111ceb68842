// One's own name, passphrase and sessions.
import Alpine from "../vendor/alpine-csp.esm.js";
import { asking } from "./asking.js";
import { compose } from "./compose.js";

Alpine.data("you", () =>
  compose(asking(), {
    name: "",
    old: "",
    fresh: "",
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
    async end(button) {
      if (await this.ask("DELETE", `/api/you/sessions/${button.dataset.id}`)) window.location.reload();
    },
    async endOthers() {
      if (await this.ask("DELETE", "/api/you/sessions")) window.location.reload();
    },
  }),
);
Alpine.start();
