// Films to take away: what is being made, and what is there.
import { call } from "./api.js";

export const exporting = (parts) => ({
  get exports() {
    return this.jobs.filter((job) => job.kind === "export").map((job) => this.describeExport(job));
  },

  describeExport(job) {
    const kind = { mp4: "MP4", webm: "WebM", webm_graphics: "Graphics, WebM", prores_graphics: "Graphics, ProRes", png_graphics: "Graphics, PNG" }[job.payload.container];
    const progress = job.progress ?? {};
    const left = progress.seconds_left ? `, ${Math.ceil(progress.seconds_left)} s left` : "";
    const texts = {
      waiting: "waiting",
      running: progress.of ? `${progress.frames} of ${progress.of} frames${left}` : "starting",
      done: job.result ? `${(job.result.bytes / 1e6).toFixed(1)} MB, ${job.result.frames} frames` : "",
      failed: job.problem,
      cancelled: "stopped",
    };
    return {
      id: job.id,
      title: kind,
      text: texts[job.state],
      active: job.state === "waiting" || job.state === "running",
      share: progress.of ? progress.frames / progress.of : 0,
      href: job.state === "done" ? `/api/exports/${job.id}/film` : undefined,
    };
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
