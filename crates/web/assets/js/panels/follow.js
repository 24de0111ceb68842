// Following the pin: how far it is found, why it ended, cuts, and how it is followed.
import Alpine from "../../vendor/alpine-csp.esm.js";
import { counted, percent, WORK } from "../follow.js";
import { STEPS } from "../losses.js";
import { timeLeft } from "../time_left.js";

const ordinal = (n) => `${n}${{ 1: "st", 2: "nd", 3: "rd" }[n > 20 ? n % 10 : n] ?? "th"}`;

Alpine.data("followPanel", () => ({
  get threshold() {
    const least = this.pin?.stop_below ?? null;
    return least === null ? "" : Math.round(least * 100);
  },
  get followText() {
    const track = this.track;
    if (this.solveShare !== null) {
      return `solving the whole shot … ${percent(this.solveShare)}${timeLeft(this.job.id, this.solveShare)}`;
    }
    if (this.job) return this.job.kind === "solve" ? "solving again …" : `following … ${track?.count() ?? 0} frames`;
    if (!track || track.count() < 2) return "not followed yet";
    const solved = track.isSolved() ? "solved" : "live pass only";
    return `${solved}: ${counted(track.spans().length, "span", "spans")}, ${counted(track.count(), "frame", "frames")} found`;
  },
  get endText() {
    const job = this.jobs.find((one) => WORK.has(one.kind) && one.payload.pin === this.pin?.id);
    if (!job || !job.ended_at || job.kind !== "follow") return "";
    if (job.state === "failed") return job.problem;
    if (job.state === "cancelled")
      return this.track?.isSolved()
        ? ""
        : "Stopped by hand. What was found is kept; it is the live pass, not solved over the whole shot.";
    if (job.result.solved) return "";
    const stops = job.result.ends.filter((end) => end.end.reason !== "end_of_range");
    return stops.map((end) => end.sentence).join(" ");
  },
  // The cut at which the frame in view begins or after which it ends, when the pin ends there too.
  get cutHere() {
    const track = this.track;
    if (!track || this.job) return null;
    const ends = (cut) => Boolean(track.get(cut - 1)) !== Boolean(track.get(cut));
    const cuts = this.cuts.filter((cut) => this.first < cut && cut <= this.last && ends(cut));
    return cuts.sort((a, b) => Math.abs(a - this.frame) - Math.abs(b - this.frame))[0] ?? null;
  },
  get cutText() {
    const cut = this.cutHere;
    if (cut === null) return "";
    return this.track.get(cut) ? `It begins at the cut on frame ${cut}.` : `It ends at the cut on frame ${cut}.`;
  },
  get noCutHere() {
    return this.noCuts.includes(this.frame) ? this.frame : null;
  },
  // Another picture begins there, or the same one goes on: then the pin is followed across.
  async setCut(cut, isCut) {
    const frames = isCut ? this.noCuts.filter((other) => other !== cut) : [...this.noCuts, cut];
    const said = await this.edit(`${isCut ? "A cut" : "No cut"} on frame ${cut}`, { edit: "set_no_cuts", frames });
    if (!said || isCut || !this.track) return;
    const forward = Boolean(this.track.get(cut - 1));
    const body = {
      pin: this.pin.id,
      from: forward ? cut - 1 : cut,
      directions: [forward ? "forward" : "backward"],
      single: false,
    };
    this.send("POST", "/follow", body);
  },
  get followClass() {
    return this.track && this.track.count() > 1 ? "" : "act";
  },
  // Only some frames are looked at; in a range that was chosen, only there.
  everyTyped(field) {
    const every = Math.min(25, Math.max(1, Math.round(Number(field.value)) || 1));
    field.value = this.every = every;
    if (every > 1) this.say(`Follow (F) now looks at every ${ordinal(every)} frame only, and fills in the rest.`);
  },
  get everyText() {
    if (this.every === 1) return "frame";
    return this.chosen ? "frames of the range" : "frames: a quick look";
  },
  placeTyped(axis, text) {
    const value = Number(text);
    if (text === "" || !Number.isFinite(value)) return;
    const place = { x: this.sample.x, y: this.sample.y, [axis]: value };
    this.setGuide(place.x, place.y);
  },
  sizeTyped(kind, index, text) {
    const sizes = [...this.pin[kind]];
    sizes[index] = Math.round(Number(text));
    this.putPinSettings({ [kind]: sizes }, kind === "pattern" ? "Size of the pattern" : "Size of the search area");
  },
  thresholdTyped(text) {
    this.putPinSettings({ stop_below: text === "" ? null : Number(text) / 100 }, "Match to stop below");
  },
  settingChosen(which, value) {
    this.putPinSettings({ [which]: value }, `How ${this.subject.name} is followed`);
    this.say("The setting counts from the next time it is followed.", false, "Follow now", () => this.follow("both"));
  },
  get lossRows() {
    return this.losses.map((loss) => ({ ...loss, key: `${loss.first}-${loss.last}`, act: STEPS[loss.step] ?? "" }));
  },
}));
