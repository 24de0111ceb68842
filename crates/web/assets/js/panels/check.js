// Frames that are worth a look, and guides.
import Alpine from "../../vendor/alpine-csp.esm.js";
import { counted } from "../follow.js";

const REASONS = {
  look_alike: "another place looks nearly the same",
  back_error: "followed back, it does not come to where it was",
  guide_off: "set by hand beside the pattern",
  vague: "the picture does not fix the place well",
  low_match: "looks less like the pattern than elsewhere",
  hardly_seen: "hardly looks like the subject",
  sudden: "leaps",
  off_the_others: "the other pins say it is elsewhere",
  goes_hidden: "hidden from here on: is it?",
  comes_back: "seen again: is it the same?",
};

Alpine.data("checkPanel", () => ({
  get checkText() {
    if (!this.track?.isSolved()) return "after the solve";
    return this.doubts.length ? `${counted(this.doubts.length, "frame", "frames")} worth a look` : "nothing doubtful";
  },
  get doubtRows() {
    return this.doubts.map(({ frame, reason }) => ({ frame, text: REASONS[reason], key: `${frame} ${reason}` }));
  },
  removeGuide() {
    if (!this.guideRemovable) return;
    const { pin, frame } = this;
    this.send("POST", "/guides", { pin: pin.id, frame, at: null });
  },
  get guideRemovable() {
    return this.isGuide && this.frame !== this.pin.frame;
  },
}));
