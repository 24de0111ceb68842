// Good features: where a pin would hold, shown on the picture, and snapped to while a key is held.
import { call, throttled } from "./api.js";

const PROBLEMS = {
  flat: "nearly flat: there is hardly any contrast",
  edge_only: "only an edge: the pin may slide along it",
  repeats: "one of several alike nearby: the pin may jump",
};
// Farther than this, in source pixels, nothing is snapped to.
const SNAP = 40;

// What is said when a pin was put on a bad spot.
export const spotProblem = (problem) =>
  problem
    ? `This spot is ${PROBLEMS[problem]}. Hold Shift while you click to take the best spot near the pointer.`
    : "";

export const spotting = (parts) => ({
  spotsShown: false,
  spots: [],
  spotHere: null,
  nearby: [],

  get spotText() {
    const here = this.spotHere;
    if (!here) return "";
    return here.problem ? PROBLEMS[here.problem] : `holds well, about ±${here.predicted_error.toFixed(2)} px`;
  },
  get shownSpots() {
    return this.spotsShown ? this.spots : this.nearby;
  },

  async toggleSpots() {
    this.spotsShown = !this.spotsShown;
    if (this.spotsShown) await this.loadSpots();
    else this.spots = [];
    this.repaint();
  },
  async loadSpots() {
    const frame = this.frame;
    try {
      const { spots } = await call("GET", `${this.path}/spots?frame=${frame}`);
      if (frame === this.frame && this.spotsShown) this.spots = spots;
      this.repaint();
    } catch (error) {
      this.say(error.message, true);
    }
  },
  // What the pointer is on, asked for a few times a second at most.
  spotAt(place) {
    parts.askSpot ??= throttled(120, (at) => this.askSpot(at));
    parts.askSpot(place);
  },
  async askSpot({ x, y }) {
    const { width, height } = this.clip;
    if (x < 0 || y < 0 || x >= width || y >= height) return;
    try {
      const { here, spots } = await call(
        "GET",
        `${this.path}/spots?frame=${this.frame}&x=${x.toFixed(1)}&y=${y.toFixed(1)}`,
      );
      if (!this.placing && this.subject) return;
      this.spotHere = here;
      this.nearby = spots.filter((spot) => !spot.problem);
      parts.pointer.again();
      this.repaint();
    } catch {
      // The next move of the pointer asks again.
    }
  },
  forgetSpot() {
    this.spotHere = null;
    this.nearby = [];
  },
  // The best good spot near a place, or the place itself.
  snapped(place) {
    const near = this.nearby.filter((spot) => Math.hypot(spot.at.x - place.x, spot.at.y - place.y) < SNAP);
    return near.length ? near[0].at : place;
  },
});
