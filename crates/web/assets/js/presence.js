// Who else has the shot open: where they are is told to each other, and not kept.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call, throttled } from "./api.js";
import { make } from "./svg.js";

const STILL_HERE = 5000; // Milliseconds between signs of life.
const GONE = 12000; // Who was not heard of for so long has left.
const OFTEN = 250; // Milliseconds between places of a pointer.

export const present = (parts) => ({
  others: [],
  page: crypto.randomUUID(),
  at: null,

  beginPresence(picture) {
    this.tellSoon = throttled(OFTEN, () => this.tellWhere());
    const to = (event) => {
      const box = picture.getBoundingClientRect();
      const { x, y } = parts.player.toPicture(event.clientX - box.left, event.clientY - box.top);
      return [Math.round(x), Math.round(y)];
    };
    picture.addEventListener("pointermove", (event) => this.moveTo(to(event)));
    picture.addEventListener("pointerleave", () => this.moveTo(null));
    parts.people = make("g", { class: "people" }, this.$refs.over);
    this.tellWhere();
    setInterval(() => (this.tellWhere(), this.forgetGone()), STILL_HERE);
    window.addEventListener("pagehide", () => this.leave());
  },
  whereabouts(frame) {
    return { page: this.page, frame, at: frame === null ? null : Alpine.raw(this.at), subject: this.selected };
  },
  // What cannot be told is told the next time.
  tellWhere() {
    if (!document.hidden) call("POST", `${this.path}/here`, this.whereabouts(this.frame)).catch(() => {});
  },
  leave() {
    const body = new Blob([JSON.stringify(this.whereabouts(null))], { type: "application/json" });
    navigator.sendBeacon(`${this.path}/here`, body);
  },
  // Only while somebody sees it.
  moveTo(at) {
    this.at = at;
    if (this.others.length) this.tellSoon();
  },

  heard({ page, name, frame, at, subject }) {
    if (page === this.page) return;
    const known = this.others.some((other) => other.page === page);
    const rest = this.others.filter((other) => other.page !== page);
    this.others = frame === null ? rest : [...rest, this.describeOther({ page, name, frame, at, subject })];
    // Whoever has just come learns of this page at once.
    if (!known && frame !== null) this.tellWhere();
    this.paintPeople();
    this.timelineSoon();
  },
  describeOther(other) {
    const on = this.subjects.find((one) => one.id === other.subject)?.name;
    const text = `${other.name}: frame ${other.frame}${on ? `, ${on}` : ""}`;
    return { ...other, text, initial: other.name.slice(0, 1).toUpperCase(), seen: performance.now() };
  },
  forgetGone() {
    const here = this.others.filter((other) => performance.now() - other.seen < GONE);
    if (here.length === this.others.length) return;
    this.others = here;
    this.paintPeople();
  },
  // Pointers of those who look at the same frame.
  paintPeople() {
    if (!parts.people) return;
    parts.people.replaceChildren();
    if (this.playing) return;
    for (const { name, frame, at } of Alpine.raw(this.others)) {
      if (!at || frame !== this.frame) continue;
      const { x, y } = parts.player.toStage(...at);
      const d = `M${x} ${y}v17l4.5 -4.5h6.5z`;
      make("path", { class: "pointer", d }, parts.people);
      make("text", { class: "tag", x: x + 12, y: y + 24 }, parts.people).textContent = name;
    }
  },
});
