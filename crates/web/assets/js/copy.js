// A copy of what the page shows, free of what Alpine wraps it in.
import Alpine from "../vendor/alpine-csp.esm.js";

export const copy = (value) => JSON.parse(JSON.stringify(Alpine.raw(value)));
