// What was deleted: have it back, or let it go for good.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call } from "./api.js";

Alpine.data("deleted", () => ({
  problem: "",
  async restore(button) {
    const { id } = button.dataset;
    if (await this.ask("POST", `/api/projects/${id}/restore`)) window.location.assign(`/projects/${id}`);
  },
  async purge(button) {
    const { id, name } = button.dataset;
    if (
      !window.confirm(
        `Delete “${name}” for good, with all its films and everything made of them? This cannot be undone.`,
      )
    )
      return;
    if (await this.ask("DELETE", `/api/projects/${id}/for-good`)) window.location.reload();
  },
  async ask(method, path) {
    try {
      await call(method, path);
      return true;
    } catch (error) {
      this.problem = error.message;
      return false;
    }
  },
}));
Alpine.start();
