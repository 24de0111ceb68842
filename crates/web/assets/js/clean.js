// The recipe behind a path: its steps, what comes of them before they are kept, and keyframes set by hand.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call, throttled } from "./api.js";
import { forms } from "./settings.js";

const formOf = (kind) => forms.steps.find((step) => step.kind === kind);
const copy = (value) => JSON.parse(JSON.stringify(Alpine.raw(value)));
const px = (value) => `${value.toFixed(value < 9.95 ? 2 : 1)} px`;

export const cleaning = (parts) => ({
  recipes: [],
  pathSeen: 0,
  keysPicked: [], // Frames, in order.
  get stepKinds() {
    return this.loaded ? forms.steps : [];
  },

  get cleaned() {
    return this.subject?.cleaning ?? null;
  },
  get report() {
    return this.pathSeen && this.cleaned ? (parts.path?.report ?? null) : null;
  },
  get cleanText() {
    if (!this.cleaned) return "the samples as they are";
    if (!this.report) return "…";
    return `${this.report.samples} → ${this.report.keys} keyframes, ${px(this.report.largest)}`;
  },
  get distanceText() {
    return this.report
      ? `From the raw path: at most ${px(this.report.largest)}, on average ${px(this.report.mean)}.`
      : "";
  },
  get worstFrame() {
    return this.report?.largest_on ?? null;
  },
  get stepRows() {
    return (this.cleaned?.steps ?? []).map((step, index) => {
      const { title, fields } = formOf(step.step);
      const where = step.range ? `frames ${step.range.first} to ${step.range.last}` : "";
      return {
        key: `${index} ${step.step}`,
        index,
        last: index === this.cleaned.steps.length - 1,
        title,
        on: step.on,
        where,
        fields: fields.map((one) => ({ ...one, key: `${index} ${one.name}`, value: step[one.name], index })),
      };
    });
  },
  get recipeNames() {
    return this.recipes.map((recipe) => recipe.name);
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
  changeSteps(change, title) {
    const cleaning = copy(this.cleaned);
    change(cleaning.steps);
    this.setCleaning(cleaning, title);
  },
  stepSwitched(index, on) {
    this.changeSteps((steps) => (steps[index].on = on), `${this.stepTitle(index)}: ${on ? "on" : "off"}`);
  },
  stepTitle(index) {
    return formOf(this.cleaned.steps[index].step).title;
  },
  // While a number is turned the page shows what would come of it; when it is left it is kept.
  stepTyped({ index, name }, text) {
    const cleaning = copy(this.cleaned);
    cleaning.steps[index][name] = Number(text);
    parts.previewSoon ??= throttled(60, (body) => this.preview(body));
    parts.previewSoon(cleaning);
  },
  stepSet({ index, name }, text) {
    this.changeSteps((steps) => (steps[index][name] = Number(text)), this.stepTitle(index));
  },
  stepMoved(index, by) {
    const move = (steps) => steps.splice(index + by, 0, ...steps.splice(index, 1));
    if (this.cleaned.steps[index + by]) this.changeSteps(move, "Order of the recipe");
  },
  stepRemoved(index) {
    this.changeSteps((steps) => steps.splice(index, 1), `Without: ${this.stepTitle(index)}`);
  },
  stepAdded(kind) {
    if (!kind) return;
    const step = { ...copy(formOf(kind).fresh), range: this.chosen ? { ...this.chosen } : null };
    this.changeSteps((steps) => steps.push(step), formOf(kind).title);
  },
  // Recipes belong to the project, so every shot of it can use them.
  recipePath(name) {
    return `/api/projects/${this.$root.dataset.project}/recipes/${encodeURIComponent(name.trim())}`;
  },
  async keepRecipe(name) {
    if (!name.trim()) return;
    const kept = () => call("PUT", this.recipePath(name), { steps: copy(this.cleaned.steps) }).then(() => ({}));
    if (await this.write(kept)) this.say(`The recipe is kept as ${name.trim()}; every shot of the project can use it.`);
  },
  async forgetRecipe(name) {
    if (await this.write(() => call("DELETE", this.recipePath(name)).then(() => ({}))))
      this.say(`The recipe ${name} is forgotten; paths that use its steps stay as they are.`);
  },
  useRecipe(name) {
    const recipe = this.recipes.find((one) => one.name === name);
    if (recipe)
      this.setCleaning(
        { steps: copy(recipe.steps), hand_keys: this.cleaned ? copy(this.cleaned.hand_keys) : [] },
        `Recipe ${name}`,
      );
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
    parts.previewSoon ??= throttled(60, (body) => this.preview(body));
    parts.timeline.curves.picked = new Set(changes.map(({ key }) => key.frame));
    this.keysChosen();
    if (done) await this.setCleaning(cleaning, this.keysTitle("Keyframe"));
    else parts.previewSoon(cleaning);
  },
  keysChosen() {
    this.keysPicked = [...parts.timeline.curves.picked].sort((a, b) => a - b);
    this.drawTimeline();
  },
  keysTitle(what) {
    const { length } = this.keysPicked;
    return length === 1 ? `${what} on frame ${this.keysPicked[0]}` : `${what}: ${length} keyframes`;
  },
  get keysText() {
    return this.keysTitle("Keyframe");
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
  // Comes to rest at the keys and sets off from rest.
  easeKeys() {
    const rest = { velocity: { x: 0, y: 0 } };
    const changes = this.pickedKeys.map((key) => ({
      from: key.frame,
      key: { ...copy(key), arrive: rest, leave: rest },
    }));
    if (changes.length) this.setCleaning(this.withKeys(changes), this.keysTitle("At rest"));
  },
  forgetKeys() {
    this.setCleaning({ ...copy(this.cleaned), hand_keys: [] }, "Forget keyframes set by hand");
  },
  get handKeyCount() {
    return this.cleaned?.hand_keys.length ?? 0;
  },
});
