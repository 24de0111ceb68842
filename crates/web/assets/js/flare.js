// Flares on the selected subject: looks to start from.
import { call } from "./api.js";
import { copy } from "./copy.js";
import { forms } from "./settings.js";

export const flaring = () => ({
  flareLooks: [],

  async refreshFlareLooks() {
    this.flareLooks = await call("GET", `${this.path}/flares`);
  },
  async addFlare() {
    if (!this.subject) return;
    if (!this.flareLooks.length) await this.refreshFlareLooks();
    const { flare } = copy(forms.fresh);
    this.hang({ ...flare, id: crypto.randomUUID(), kind: "flare", ...copy(this.flareLooks[0].flare) }, "Flare");
  },
});
