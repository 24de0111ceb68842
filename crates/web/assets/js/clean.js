// The clean path of the selected subject: what comes of its recipe, also before it is kept, and keyframes set by hand.
import { call, throttled } from "./api.js";
import { copy } from "./copy.js";

export const cleaning = (parts) => ({
  recipes: [],
  pathSeen: 0,
  keysPicked: [], // Frames, in order.

  get cleaned() {
    return this.subject?.cleaning ?? null;
  },
  get report() {
    return this.pathSeen && this.cleaned ? (parts.path?.report ?? null) : null;
  },

  setCleaning(cleaning, title) {
    return this.edit(title, { edit: "set_cleaning", subject: this.subject.id, cleaning });
  },
  async startCleaning() {
    if (!this.subject) return;
    if (this.cleaned) return this.stopCleaning();
    this.setCleaning(await call("GET", "/api/recipes/default"), `Clean ${this.subject.name}`);
  },
  stopCleaning() {
    this.setCleaning(null, `${this.subject.name}: the samples as they are`);
  },

  // --- what comes of it ---------------------------------------------------------------------------------------------

  async refreshPath() {
    const { subject } = this;
    if (!subject) return this.showPath(null);
    try {
      const path = await call("GET", `${this.path}/subjects/${subject.id}/path`);
      if (subject.id === this.selected) this.showPath(path);
    } catch (error) {
      if (error.word !== "offline") this.say(error.message, true);
    }
  },
  previewSoon(cleaning) {
    parts.previewSoon ??= throttled(60, (body) => this.preview(body));
    parts.previewSoon(cleaning);
  },
  async preview(cleaning) {
    try {
      const { id } = this.subject;
      const path = await call("POST", `${this.path}/subjects/${id}/path`, { cleaning });
      if (id === this.selected) this.showPath(path);
    } catch (error) {
      if (error.word !== "offline") this.say(error.message, true);
    }
  },
  showPath(path) {
    parts.path = path;
    parts.timeline.curves.setPath(path);
    this.pathSeen++;
    if (path?.lost_keys?.length)
      this.say(
        `Keyframes set by hand on frames ${path.lost_keys.join(", ")} are on no span any more; they come back when the span does.`,
      );
    this.repaint();
  },

  // --- keyframes by hand --------------------------------------------------------------------------------------------

  // Keys in the place of others; what was on their frames before is gone from there.
  withKeys(changes) {
    const cleaning = copy(this.cleaned);
    const set = changes.filter(({ key }) => key).map(({ key }) => ({ frame: key.frame, key }));
    const now = new Set(set.map((one) => one.frame));
    const gone = changes.map(({ from }) => from).filter((frame) => !now.has(frame));
    const touched = new Set([...now, ...gone]);
    const others = cleaning.hand_keys.filter((one) => !touched.has(one.frame));
    cleaning.hand_keys = [...others, ...gone.map((frame) => ({ frame, key: null })), ...set];
    return cleaning;
  },
  async keysDragged(changes, done) {
    if (!this.cleaned) return;
    const cleaning = this.withKeys(changes);
    parts.timeline.curves.picked = new Set(changes.map(({ key }) => key.frame));
    this.keysChosen();
    if (done) await this.setCleaning(cleaning, this.keysTitle("Keyframe"));
    else this.previewSoon(cleaning);
  },
  keysChosen() {
    this.keysPicked = [...parts.timeline.curves.picked].sort((a, b) => a - b);
    this.drawTimeline();
  },
  keysTitle(what) {
    const { length } = this.keysPicked;
    return length === 1 ? `${what} on frame ${this.keysPicked[0]}` : `${what}: ${length} keyframes`;
  },
  addKey(frame) {
    if (!this.cleaned || !parts.path) return;
    const i = parts.path.frame.indexOf(frame);
    if (i < 0 || parts.path.keys.some((key) => key.frame === frame)) return;
    const { x, y } = parts.path;
    const [before, after] = [Math.max(0, i - 1), Math.min(x.length - 1, i + 1)];
    const frames = Math.max(1, parts.path.frame[after] - parts.path.frame[before]);
    const velocity = { x: (x[after] - x[before]) / frames, y: (y[after] - y[before]) / frames };
    const key = { frame, at: { x: x[i], y: y[i] }, arrive: { velocity }, leave: { velocity } };
    this.keysDragged([{ from: frame, key }], true);
  },
  get pickedKeys() {
    return (parts.path?.keys ?? []).filter((key) => this.keysPicked.includes(key.frame));
  },
  removeKeys() {
    if (!this.keysPicked.length || !this.cleaned) return false;
    this.setCleaning(this.withKeys(this.keysPicked.map((from) => ({ from, key: null }))), this.keysTitle("Remove"));
    parts.timeline.curves.picked.clear();
    this.keysChosen();
    return true;
  },
});
