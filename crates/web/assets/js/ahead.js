// A name that is typed before its field is there, or for a subject that was refused: letters are not taken for keys.

const PAUSE = 1500; // Milliseconds without a letter after which a refused name is over.

export const typingAhead = (parts) => ({
  // Until `endAhead` letters belong to a name.
  beginAhead() {
    parts.ahead = { text: "", refused: false, last: performance.now() };
  },
  // The field is there: it gets what was typed; Enter was typed too when the name is done.
  endAhead(field) {
    const text = parts.ahead?.text;
    parts.ahead = null;
    if (!text || !field) return;
    const [name, ...rest] = text.split("\n");
    field.value = name;
    field.dispatchEvent(new Event("input", { bubbles: true }));
    if (rest.length) field.blur();
  },
  refuseAhead() {
    parts.ahead = { ...parts.ahead, text: "", refused: true, last: performance.now() };
  },
  // Whether a key belongs to the name.
  takesAhead({ key, ctrlKey, metaKey, altKey }) {
    const ahead = parts.ahead;
    if (!ahead || ctrlKey || metaKey || altKey) return false;
    const now = performance.now();
    if (ahead.refused && now - ahead.last > PAUSE) parts.ahead = null;
    if (!parts.ahead || (key.length !== 1 && key !== "Backspace" && key !== "Enter")) return false;
    // Space alone begins no name: it plays.
    if (key === " " && !ahead.text && !ahead.refused) return false;
    ahead.last = now;
    ahead.text = key === "Backspace" ? ahead.text.slice(0, -1) : ahead.text + (key === "Enter" ? "\n" : key);
    return true;
  },
});
