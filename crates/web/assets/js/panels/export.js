// The export sheet: films to take away, what is being made and what is there, and motion as data. A panel of its own over
// the bench, whose shot it sees.
import Alpine from "../../vendor/alpine-csp.esm.js";
import { call } from "../api.js";
import { describeJob } from "../jobs.js";

Alpine.data("exportPanel", () => ({
  init() {
    this.$el.addEventListener("show.bs.modal", () => this.putBrushAway());
  },
  get exports() {
    return this.jobs.filter((job) => job.kind === "export").map((job) => describeJob(job));
  },

  get stillHref() {
    return `${this.path}/still?frame=${this.frame}`;
  },

  // Motion as data, counted as the receiver counts.
  counted: "0",
  get dataFiles() {
    const files = [
      ["Samples, CSV", "samples.csv"],
      ["Samples, JSON", "samples.json"],
      ["Keyframes, CSV", "keys.csv"],
      ["Paths, JSON", "path.json"],
      ["Matrices, CSV", "matrices.csv"],
      ["Matrices, JSON", "matrices.json"],
    ];
    return files.map(([name, file]) => ({ name, href: `${this.path}/${file}?count=${this.counted}` }));
  },
  countFrames(counted) {
    this.counted = counted;
  },

  async removeExport(film) {
    if (film.file && !window.confirm(`Delete “${film.title}”? It can be made again.`)) return;
    try {
      await call("DELETE", `/api/exports/${film.id}`);
      this.refreshSoon();
    } catch (error) {
      this.say(error.message, true);
    }
  },

  async exportFilm(container) {
    try {
      await this.putBrushAway();
      if (this.strokes.length) return; // It was said why they could not be kept.
      await this.settled();
      await call("POST", `${this.path}/exports`, { container });
      this.refreshSoon();
    } catch (error) {
      this.say(error.message, true);
    }
  },
}));
