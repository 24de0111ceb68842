// Links by which somebody looks at the shot. A panel of its own over the bench, whose shot it sees.
import Alpine from "../../vendor/alpine-csp.esm.js";
import { call } from "../api.js";

const COPY = "Copy";
const day = new Intl.DateTimeFormat(undefined, { dateStyle: "long" });

Alpine.data("showPanel", () => ({
  forWhom: "",
  days: 14,
  links: [],
  made: "",
  madeText: "",
  copied: COPY,
  linkProblem: "",

  init() {
    this.$el.addEventListener("show.bs.modal", () => this.loadLinks());
  },
  async loadLinks() {
    const links = await this.askLinks("GET", "");
    const until = (link) => `until ${day.format(new Date(link.ends_at))}`;
    if (links) this.links = links.map((link) => ({ ...link, until: until(link) }));
  },
  async makeLink() {
    const made = await this.askLinks("POST", "", { name: this.forWhom, days: Number(this.days) });
    if (!made) return;
    this.made = window.location.origin + made.path;
    this.madeText = `A link for ${this.forWhom}.`;
    this.copied = COPY;
    this.forWhom = "";
    this.loadLinks();
  },
  async copyLink() {
    await navigator.clipboard.writeText(this.made);
    this.copied = "Copied";
  },
  async takeBack(link) {
    await this.askLinks("DELETE", `/${link.id}`);
    this.made = "";
    this.loadLinks();
  },
  async askLinks(method, address, body) {
    this.linkProblem = "";
    try {
      return (await call(method, `${this.path}/links${address}`, body)) ?? true;
    } catch (error) {
      this.linkProblem = error.message;
      return null;
    }
  },
}));
