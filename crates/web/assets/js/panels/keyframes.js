// Keyframes of the attachment that is open: five numbers that count on top of its settings, and every number among the
// settings.
import Alpine from "../../vendor/alpine-csp.esm.js";
import { copy } from "../copy.js";
import { forms, get, keyableOf, same } from "../settings.js";

const ON_TOP = [
  ["across", "across, px"],
  ["down", "down, px"],
  ["size", "size, ×"],
  ["turn", "turn, °"],
  ["opacity", "opacity, ×"],
];
const usual = (number) => (number === "size" || number === "opacity" ? 1 : 0);

Alpine.data("keyframesPanel", () => ({
  // What can have keyframes: its name, and the factor from the setting to what is shown.
  get keyNumbers() {
    const one = Alpine.raw(this.attached);
    if (!one) return [];
    const settings = keyableOf(one).map((field) => ({
      value: field.path,
      factor: field.factor ?? 1,
      text: field.unit ? `${field.name}, ${field.unit}` : field.name,
    }));
    return [...ON_TOP.map(([value, text]) => ({ value, factor: 1, text })), ...settings];
  },
  get keyRows() {
    const keys = this.attached?.show.keys ?? [];
    const numbers = this.keyNumbers;
    // A keyframe of a part that was taken away counts again when it is there again.
    const known = (number) =>
      numbers.find(({ value }) => value === number) ?? { factor: 1, text: `${number} (not there now)` };
    const rows = keys.map((key, index) => {
      const { text, factor } = known(key.number);
      const chosen = forms.easings.findIndex(([, known]) => same(known, key.easing));
      return {
        index,
        key: `${key.number}${key.frame}`,
        frame: key.frame,
        name: text,
        factor,
        value: Math.round(key.value * factor * 1000) / 1000,
        easing: chosen,
      };
    });
    rows.sort((a, b) => a.name.localeCompare(b.name) || a.frame - b.frame);
    return rows.map((row, i) => ({ ...row, heading: row.name === rows[i - 1]?.name ? null : row.name }));
  },
  get keyEasings() {
    return forms.easings.map(([text], value) => ({ text, value }));
  },
  changeKey(row, change) {
    this.putKeys(
      copy(this.attached.show.keys).map((key, i) => (i === row.index ? { ...key, ...change } : key)),
      `Keyframe ${row.frame}`,
    );
  },
  // A keyframe on the frame in view, with the value that the number has near.
  addKeyHere(number) {
    const { frame } = this;
    const own = this.attached.show.keys.filter((key) => key.number === number);
    if (own.some((key) => key.frame === frame)) return;
    const before = own.filter((key) => key.frame < frame).sort((a, b) => b.frame - a.frame)[0] ?? own[0];
    const onTop = ON_TOP.some(([name]) => name === number);
    this.keyHere(number, before?.value ?? (onTop ? usual(number) : get(this.attached, number)));
  },
  keyTyped(row, value) {
    const number = Number(value) / row.factor;
    if (value === "" || Number.isNaN(number)) return this.say("That is no number; the keyframe stays as it was.", true);
    this.changeKey(row, { value: number });
  },
  keyEased(row, value) {
    this.changeKey(row, { easing: forms.easings[value][1] });
  },
  removeKey(row) {
    this.putKeys(
      copy(this.attached.show.keys).filter((_, i) => i !== row.index),
      `Remove keyframe ${row.frame}`,
    );
  },
}));
