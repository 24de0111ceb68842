// The queue: what runs, waits, is done or has failed.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call } from "./api.js";
import { describeJob } from "./jobs.js";

const EVERY = 1000; // Milliseconds between two looks.
const GROUPS = [
  ["Running", ["running"]],
  ["Waiting", ["waiting"]],
  ["Failed or stopped", ["failed", "cancelled"]],
  ["Done", ["done"]],
];

Alpine.data("queue", () => ({
  jobs: [],
  loaded: false,
  problem: "",

  init() {
    this.look();
  },
  get groups() {
    return GROUPS.map(([title, states]) => ({ title, jobs: this.jobs.filter((job) => states.includes(job.state)) }));
  },
  async look() {
    try {
      this.jobs = (await call("GET", "/api/queue")).map(describeJob);
      this.loaded = true;
      this.problem = "";
    } catch (error) {
      this.problem = error.message;
    }
    setTimeout(() => this.look(), EVERY);
  },
  cancel(id) {
    return this.ask("POST", `/api/jobs/${id}/cancel`, {});
  },
  async remove(job) {
    if (job.file && !window.confirm(`Delete “${job.title}” of ${job.about || job.project}? It can be made again.`))
      return;
    if (await this.ask("DELETE", `/api/exports/${job.id}`))
      this.jobs = this.jobs.filter((other) => other.id !== job.id);
  },
  async ask(method, path, body) {
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
