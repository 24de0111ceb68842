// Films to take away: what is being made, and what is there.
import { call } from "./api.js";
import { describeJob } from "./jobs.js";

export const exporting = (parts) => ({
  get exports() {
    return this.jobs.filter((job) => job.kind === "export").map((job) => describeJob(job));
  },

  get stillHref() {
    return `${this.path}/still?frame=${this.frame}`;
  },

  async exportFilm(container) {
    try {
      await parts.pending;
      await call("POST", `${this.path}/exports`, { container });
      this.refreshSoon();
    } catch (error) {
      this.say(error.message, true);
    }
  },
});
