// Where the pin was lost for longer than a second: how far it holds, what changed there, and the one best next step.
import { call } from "./api.js";

const AWAY = new Set(["hidden", "outside"]);
export const STEPS = { cross: "Bridge it", put: "Put it there" };

export const losing = (parts) => ({
  losses: [],
  lossesOf: null,

  // The one that holds the frame in view.
  get lossHere() {
    if (!this.pin) return null;
    return this.losses.find(({ first, last }) => first <= this.frame && this.frame <= last) ?? null;
  },
  get lossText() {
    return this.lossHere?.text ?? "";
  },
  get lossAct() {
    return STEPS[this.lossHere?.step] ?? "";
  },
  // Over the picture only where something can be done, and while no notice there says the same.
  get lossShown() {
    const isSaid = this.notices.some(({ text }) => text === this.lossText);
    return Boolean(this.lossAct) && !isSaid && !this.playing && !this.placingHere && !this.looking;
  },

  async refreshLosses() {
    const pin = this.pin;
    if (!pin || !this.track?.isSolved()) {
      this.losses = [];
      this.lossesOf = null;
      return;
    }
    // Whether anything that they depend on is another than when they were asked for last.
    const { samplesVersion } = parts;
    const state = `${pin.id} ${samplesVersion} ${this.clip.state} ${this.noCuts}`;
    if (state === this.lossesOf) return;
    try {
      const losses = await call("GET", `${this.path}/pins/${pin.id}/losses`);
      if (pin.id !== this.pin?.id) return;
      [this.losses, this.lossesOf] = [losses, state];
      if (this.tellLosses) this.sayLosses();
      this.tellLosses = false;
      this.repaint();
    } catch (error) {
      // The film is still being prepared: it is asked for again with the next news.
      if (error.word !== "offline" && error.word !== "not_yet") this.say(error.message, true);
    }
  },
  // After it was followed: what is nearest to where it was picked.
  sayLosses() {
    const far = ({ at }) => Math.abs(at - this.pin.frame);
    const of = this.selected;
    const [loss] = this.losses.filter(({ step }) => step !== "none").sort((a, b) => far(a) - far(b));
    if (loss) this.say(loss.text, false, STEPS[loss.step], () => this.mendLossOf(of, loss));
  },
  // By the time somebody asks for it another subject may be selected.
  mendLossOf(subject, loss) {
    if (!this.subjects.some(({ id }) => id === subject)) return;
    if (this.selected !== subject) this.select(subject);
    this.mendLoss(loss);
  },
  mendLoss({ first, last, at, step }) {
    if (step === "cross") return this.changeRange({ first, last }, { do: "bridge", how: "smooth" });
    this.goTo(at);
    this.putHere();
  },
  mendLossHere() {
    if (this.lossHere) this.mendLoss(this.lossHere);
  },
  // A place that nobody has seen for over a second is none.
  // Asked for every subject at every repaint: it looks no further than it has to.
  isUnknown(track, frame, second) {
    const away = (other) => AWAY.has(track?.get(other)?.state);
    if (!away(frame)) return false;
    let count = 1;
    for (let other = frame - 1; count <= second && away(other); other--) count++;
    for (let other = frame + 1; count <= second && away(other); other++) count++;
    return count > second;
  },
});
