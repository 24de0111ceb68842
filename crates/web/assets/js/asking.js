// Asks the server for a page that shows what goes wrong as its `problem`.
import { call } from "./api.js";

export const asking = () => ({
  problem: "",
  // What the server answers, true where it has nothing to say; nothing where it refuses.
  async ask(method, path, body) {
    this.problem = "";
    try {
      return (await call(method, path, body)) ?? true;
    } catch (error) {
      this.problem = error.message;
      return null;
    }
  },
});
