// The queue: what runs, waits, is done or has failed.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call } from "./api.js";
import { asking } from "./asking.js";
import { compose } from "./compose.js";
import { describeJob } from "./jobs.js";

const EVERY = 1000; // Milliseconds between two looks.
const GROUPS = [
  ["Running", ["running"]],
  ["Waiting", ["waiting"]],
  ["Failed or stopped", ["failed", "cancelled"]],
  ["Done", ["done"]],
];

// Who takes exports takes pieces of them.
const listed = (kinds) => kinds.filter((kind) => kind !== "piece").join(", ");

const describeWorker = ({ id, host, process, kinds, lanes, busy }) => ({
  id,
  host,
  text: `process ${process} · ${busy} of ${lanes.length} ${lanes.length === 1 ? "lane" : "lanes"} at work · ${listed(kinds)}`,
  share: busy / Math.max(1, lanes.length),
});

Alpine.data("queue", () =>
  compose(asking(), {
    jobs: [],
    workers: [],
    loaded: false,

    init() {
      this.look();
    },
    get nobodyWorks() {
      return this.loaded && this.workers.length === 0;
    },
    get groups() {
      return GROUPS.map(([title, states]) => ({ title, jobs: this.jobs.filter((job) => states.includes(job.state)) }));
    },
    async look() {
      try {
        const [jobs, workers] = await Promise.all([call("GET", "/api/queue"), call("GET", "/api/workers")]);
        this.jobs = jobs.map(describeJob);
        this.workers = workers.map(describeWorker);
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
  }),
);
Alpine.start();
