// What the bench's templates say beyond Alpine's own words.
import Alpine from "../vendor/alpine-csp.esm.js";

// Shows a value in a field, but never while somebody is typing into it.
Alpine.directive("kept", (field, { expression }, { evaluateLater, effect, cleanup }) => {
  const value = evaluateLater(expression);
  const show = () => value((now) => (field.value = now ?? ""));
  effect(() => value((now) => document.activeElement !== field && (field.value = now ?? "")));
  // Left without a change, or with one that was refused: what is true is shown again.
  const left = () => setTimeout(show, 400);
  field.addEventListener("blur", left);
  cleanup(() => field.removeEventListener("blur", left));
});

// What was picked from a list of things to do is done, and the list shows its own name again.
Alpine.directive("pick", (list, { expression }, { evaluateLater, cleanup }) => {
  const run = evaluateLater(expression);
  const chosen = () => {
    const picked = list.value;
    list.value = "";
    if (picked !== "") run(() => {}, { scope: { picked } });
  };
  list.addEventListener("change", chosen);
  cleanup(() => list.removeEventListener("change", chosen));
});
