// The list of projects.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call } from "./api.js";

Alpine.data("projects", () => ({
  name: "",
  problem: "",
  async create() {
    try {
      const project = await call("POST", "/api/projects", { name: this.name });
      window.location.assign(`/projects/${project.id}`);
    } catch (error) {
      this.problem = error.message;
    }
  },
  // Nothing is asked: it can be had back.
  async remove(button) {
    try {
      await call("DELETE", `/api/projects/${button.dataset.id}`);
      window.location.reload();
    } catch (error) {
      this.problem = error.message;
    }
  },
}));
Alpine.start();
