// Flares on the selected subject: looks to start from.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call } from "./api.js";
import { forms } from "./settings.js";

const copy = (value) => JSON.parse(JSON.stringify(Alpine.raw(value)));

export const flaring = () => ({
  flareLooks: [],

  get flareLookNames() {
    return this.flareLooks.map((look) => look.name);
  },

  async refreshFlareLooks() {
    this.flareLooks = await call("GET", `${this.path}/flares`);
  },
  async addFlare() {
    if (!this.subject) return;
    if (!this.flareLooks.length) await this.refreshFlareLooks();
    const { flare } = copy(forms.fresh);
    this.hang({ ...flare, id: crypto.randomUUID(), kind: "flare", ...copy(this.flareLooks[0].flare) }, "Flare");
  },
  // Another look keeps where it is and how strong.
  flareLooked(name) {
    const look = this.flareLooks.find((one) => one.name === name);
    if (!look) return;
    const { place, fades_below, ...rest } = copy(this.attached);
    this.put({ ...rest, ...copy(look.flare), place, fades_below }, `Flare: ${name}`);
  },
});
