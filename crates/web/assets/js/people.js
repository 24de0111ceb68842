// Whoever works here, for an administrator.
import Alpine from "../vendor/alpine-csp.esm.js";
import { asking } from "./asking.js";
import { compose } from "./compose.js";

const COPY = "Copy";

Alpine.data("people", () =>
  compose(asking(), {
    name: "",
    link: "",
    linkText: "",
    copied: COPY,
    async add() {
      const made = await this.ask("POST", "/api/people", { name: this.name });
      if (!made) return;
      this.show(made.link, this.name);
      this.name = "";
      // The list is the server's; the link is only known here.
      const fresh = new DOMParser().parseFromString(await (await fetch("/people")).text(), "text/html");
      this.$root.querySelector("ul.exports").replaceWith(fresh.querySelector("ul.exports"));
    },
    async makeLink(button) {
      const { id, name } = button.parentElement.dataset;
      const made = await this.ask("POST", `/api/people/${id}/link`);
      if (made) this.show(made.link, name);
    },
    show(path, name) {
      this.link = window.location.origin + path;
      this.linkText = `A link for ${name}, to set a passphrase by.`;
      this.copied = COPY;
    },
    async copy() {
      await navigator.clipboard.writeText(this.link);
      this.copied = "Copied";
    },
    async setAdministrator(button, administrator) {
      const { id } = button.parentElement.dataset;
      if (await this.ask("PATCH", `/api/people/${id}`, { administrator })) window.location.reload();
    },
    async dismiss(button) {
      const { id, name } = button.parentElement.dataset;
      const ask = `Take ${name} out? They cannot sign in any more. What they made stays; projects that only they own become yours.`;
      if (!window.confirm(ask)) return;
      if (await this.ask("DELETE", `/api/people/${id}`)) window.location.reload();
    },
  }),
);
Alpine.start();
