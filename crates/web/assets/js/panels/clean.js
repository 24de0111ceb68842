// The recipe behind a path: its steps, recipes that the project keeps, and the keyframes that are picked.
import Alpine from "../../vendor/alpine-csp.esm.js";
import { call } from "../api.js";
import { copy } from "../copy.js";
import { forms } from "../settings.js";

const formOf = (kind) => forms.steps.find((step) => step.kind === kind);
const px = (value) => `${value.toFixed(value < 9.95 ? 2 : 1)} px`;

Alpine.data("cleanPanel", () => ({
  get stepKinds() {
    return this.loaded ? forms.steps : [];
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
    this.previewSoon(cleaning);
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
    return `/api/projects/${this.project}/recipes/${encodeURIComponent(name.trim())}`;
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
  get keysText() {
    return this.keysTitle("Keyframe");
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
}));
