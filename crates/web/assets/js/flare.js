// The flare of the selected subject: looks to start from, and its numbers.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call } from "./api.js";

const copy = (value) => JSON.parse(JSON.stringify(Alpine.raw(value)));

export const flaring = () => ({
  flareLooks: [],

  get flare() {
    return this.subject?.attachments.find((one) => one.kind === "flare") ?? null;
  },
  get flareStrength() {
    return Math.round(this.flare.show.opacity * 100);
  },
  get flareLookNames() {
    return this.flareLooks.map((look) => look.name);
  },

  async refreshFlareLooks() {
    this.flareLooks = await call("GET", `${this.path}/flares`);
  },
  async addFlare() {
    if (!this.subject || this.flare) return;
    if (!this.flareLooks.length) await this.refreshFlareLooks();
    this.hangFlare({ id: crypto.randomUUID(), show: { on: true, opacity: 1, blend: "screen" } }, this.flareLooks[0], "Flare");
  },
  hangFlare(attachment, look, title) {
    const { id } = this.subject;
    return this.edit(title, { edit: "put_attachment", subject: id, attachment: { ...attachment, kind: "flare", ...copy(look.flare) } });
  },
  // Another look keeps where it is and how strong.
  flareLooked(name) {
    const look = this.flareLooks.find((one) => one.name === name);
    if (!look) return;
    const { id, show, place } = copy(this.flare);
    this.hangFlare({ id, show }, { flare: { ...copy(look.flare), place } }, `Flare: ${name}`);
  },
  flareTyped(what, value) {
    const { place, show } = copy(this.flare);
    const number = Number(value);
    const whole = Math.max(0, Math.round(number));
    const change = {
      colour: () => ({ colour: value }),
      size: () => ({ size: number }),
      strength: () => ({ show: { ...show, opacity: number / 100 } }),
      rays: () => ({ rays: whole }),
      ghosts: () => ({ ghosts: whole }),
      streak: () => ({ streak: number }),
      ring: () => ({ ring: number }),
      x: () => ({ place: { ...place, x: number } }),
      y: () => ({ place: { ...place, y: number } }),
      fade: () => ({ fade_frames: whole }),
      blend: () => ({ show: { ...show, blend: value } }),
    }[what]();
    this.edit("Change the flare", { edit: "put_attachment", subject: this.subject.id, attachment: { ...copy(this.flare), ...change } });
  },
  removeFlare() {
    this.edit("Remove the flare", { edit: "remove_attachment", subject: this.subject.id, attachment: this.flare.id });
  },
});
