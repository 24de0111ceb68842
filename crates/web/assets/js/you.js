// One's own name, passphrase and sessions.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call } from "./api.js";

Alpine.data("you", () => ({
  name: "",
  old: "",
  fresh: "",
  problem: "",
  done: "",
  init() {
    this.name = this.$root.dataset.name;
  },
  async rename() {
    if (await this.ask("PATCH", "/api/you", { name: this.name })) window.location.reload();
  },
  async setPassphrase() {
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
  async ask(method, path, body) {
    this.problem = this.done = "";
    try {
      await call(method, path, body);
      return true;
    } catch (error) {
      this.problem = error.message;
      return false;
    }
  },
}));
Alpine.start();
