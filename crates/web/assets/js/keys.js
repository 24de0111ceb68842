// Every action that has a key: what is shown on the help sheet is what works.

export const KEYS = [
  { keys: "Space", what: "Play, pause", match: (e) => e.key === " ", run: (b) => b.togglePlay() },
  {
    keys: "← →",
    what: "One frame back, on",
    match: (e) => !e.altKey && (e.key === "ArrowLeft" || e.key === "ArrowRight"),
    run: (b, e) => b.step((e.key === "ArrowLeft" ? -1 : 1) * (e.shiftKey ? 10 : 1)),
  },
  { keys: "Shift ← →", what: "Ten frames back, on", match: () => false },
  {
    keys: "Home, End",
    what: "First, last frame",
    match: (e) => e.key === "Home" || e.key === "End",
    run: (b, e) => b.goTo(e.key === "Home" ? b.first : b.last),
  },
  { keys: "N", what: "New subject: crosshair on the picture", match: (e) => e.key === "n", run: (b) => b.newSubject() },
  {
    keys: "Z, Shift Z",
    what: "Outline a face: click round it (arrows and Space put corners), Enter closes it; on the subject",
    match: (e) => e.key === "z" || e.key === "Z",
    run: (b, e) => (e.shiftKey ? b.anotherArea() : b.newArea()),
  },
  { keys: "Shift N", what: "Another pin on the subject", match: (e) => e.key === "N", run: (b) => b.addOn("pin") },
  {
    keys: "O",
    what: "Point on the subject that no pin follows: its pins carry it",
    match: (e) => e.key === "o",
    run: (b) => b.addOn("point"),
  },
  { keys: "Shift S", what: "Next pin of the subject", match: (e) => e.key === "S", run: (b) => b.nextPin() },
  { keys: "I", what: "Flare on the subject", match: (e) => e.key === "i", run: (b) => b.addFlare() },
  {
    keys: "U",
    what: "Boundary line: click its corners in order; Enter leaves it open",
    match: (e) => e.key === "u",
    run: (b) => b.beginLinking(),
  },
  {
    keys: "D",
    what: "Sparks off the subject, or along the boundary line that is open",
    match: (e) => e.key === "d",
    run: (b) => b.addSparks(),
  },
  { keys: "Shift M", what: "Everything but the subject", match: (e) => e.key === "M", run: (b) => b.addAllBut() },
  { keys: "M", what: "Cover over the subject", match: (e) => e.key === "m", run: (b) => b.addCover() },
  {
    keys: "Q",
    what: "What stands in front: click round it; Enter closes it",
    match: (e) => e.key === "q",
    run: (b) => b.subject && b.beginOutline("front"),
  },
  { keys: "Ctrl C, Ctrl V", what: "Copy what is open, paste it on the subject", match: () => false },
  {
    keys: "Enter",
    what: "Put the pin at the crosshair",
    match: (e, b) => e.key === "Enter" && b.cursor,
    run: (b) => b.putAtCursor(),
  },
  {
    keys: "P",
    what: "Put the pin on this frame by hand; with a range: follow it by hand",
    match: (e) => e.key === "p",
    run: (b) => b.putHere(),
  },
  {
    keys: "Alt ← → ↑ ↓",
    what: "Move the point by a pixel, with Shift by ten, with Ctrl by a tenth",
    match: (e) => e.altKey && e.key.startsWith("Arrow"),
    run: (b, e) => b.nudge(e),
  },
  { keys: "F", what: "Follow both ways from here", match: (e) => e.key === "f", run: (b) => b.follow("both") },
  {
    keys: "[ ]",
    what: "Follow back, on",
    match: (e) => e.key === "[" || e.key === "]",
    run: (b, e) => b.follow(e.key === "[" ? "backward" : "forward"),
  },
  { keys: "Shift F", what: "Follow every pin", match: (e) => e.key === "F", run: (b) => b.followAll() },
  {
    keys: ", .",
    what: "Follow one frame back, on",
    match: (e) => e.key === "," || e.key === ".",
    run: (b, e) => b.follow(e.key === "," ? "one back" : "one on"),
  },
  { keys: "W", what: "Next frame worth a look", match: (e) => e.key === "w", run: (b) => b.nextDoubt() },
  {
    keys: "J",
    what: "Next frame on which the pace changes, to put a guide there",
    match: (e) => e.key === "j",
    run: (b) => b.nextPennant(),
  },
  {
    keys: "A",
    what: "Accept the place on this frame as set by hand",
    match: (e) => e.key === "a",
    run: (b) => b.acceptHere(),
  },
  {
    keys: "↑ ↓ ← →, Enter, H",
    what: "While looking: move the point, accept it, say hidden; then the next",
    match: () => false,
  },
  {
    keys: "B, Shift B",
    what: "A range of frames begins, ends here",
    match: (e) => e.key === "b" || e.key === "B",
    run: (b, e) => b.edge(e.shiftKey ? "last" : "first"),
  },
  {
    keys: "K",
    what: "Bridge the range, or the gap here; what is bridged is hidden again",
    match: (e) => e.key === "k",
    run: (b) => b.bridgeHere(),
  },
  { keys: "H", what: "Hidden on this frame, or on the range", match: (e) => e.key === "h", run: (b) => b.hideRange() },
  { keys: "C", what: "Clean the path, or not", match: (e) => e.key === "c", run: (b) => b.startCleaning() },
  { keys: "X", what: "Weave, curves or pace below", match: (e) => e.key === "x", run: (b) => b.toggleBelow() },
  {
    keys: "T",
    what: "Hold the picture still on the pin; view goes along; off",
    match: (e) => e.key === "t",
    run: (b) => b.nextHold(),
  },
  { keys: "V", what: "Show spots that would hold well", match: (e) => e.key === "v", run: (b) => b.toggleSpots() },
  {
    keys: "Y",
    what: "What the trail's lines mean",
    match: (e) => e.key === "y",
    run: (b) => (b.legendShown = !b.legendShown),
  },
  { keys: "Shift click", what: "Put the pin on the best spot near", match: () => false },
  {
    keys: "Esc",
    what: "Stop following; put the crosshair away",
    match: (e) => e.key === "Escape",
    run: (b) => b.escape(),
  },
  {
    keys: "Delete",
    what: "Delete the range, the picked keyframes, or the sample on this frame",
    match: (e) => e.key === "Delete" && !e.shiftKey,
    run: (b) => b.deleteSample(),
  },
  {
    keys: "Shift Delete",
    what: "Remove the subject",
    match: (e) => e.key === "Delete" && e.shiftKey,
    run: (b) => b.removeSubject(),
  },
  { keys: "R", what: "Name the subject", match: (e) => e.key === "r", run: (b) => b.focusOn("subject-name") },
  {
    keys: "L",
    what: "Text of the label",
    match: (e) => e.key === "l",
    run: (b) => (b.label ? b.openLabel() : b.addLabel()),
  },
  { keys: "S", what: "Next subject", match: (e) => e.key === "s", run: (b) => b.nextSubject() },
  {
    keys: "+ −",
    what: "Zoom in, out",
    match: (e) => e.key === "+" || e.key === "=" || e.key === "-",
    run: (b, e) => b.zoomBy(e.key === "-" ? 0.5 : 2),
  },
  { keys: "0", what: "Whole picture", match: (e) => e.key === "0", run: (b) => b.fit() },
  { keys: "G", what: "Go to the pin, close up", match: (e) => e.key === "g", run: (b) => b.closeUp() },
  { keys: "E", what: "Export", match: (e) => e.key === "e", run: (b) => b.openSheet("export") },
  { keys: "?", what: "This sheet", match: (e) => e.key === "?", run: (b) => b.openSheet("help") },
  { keys: "Ctrl Z", what: "Undo", match: () => false },
  { keys: "Ctrl Shift Z", what: "Redo", match: () => false },
];

const types = (element) => element.matches?.("input, textarea, select, [contenteditable]");

// Runs the action of a key; true when there was one.
export function press(event, bench) {
  const control = event.ctrlKey || event.metaKey;
  const field = types(event.target) && event.target.type !== "checkbox";
  if (control && event.key.toLowerCase() === "z" && !field) {
    if (event.shiftKey) bench.redo();
    else bench.undo();
    return true;
  }
  if (control && !field && !String(window.getSelection()) && (event.key === "c" || event.key === "v")) {
    if (event.key === "c") bench.copyAttachment();
    else bench.pasteAttachment();
    return true;
  }
  const nudge = event.altKey && event.key.startsWith("Arrow");
  if ((control && !nudge) || field || document.querySelector(".modal.show")) return false;
  if (bench.takesAhead(event)) return true;
  // Buttons and links keep the keys that press them.
  const pressed = event.target.closest?.("button, a, summary, input[type=checkbox]");
  if (pressed && (event.key === " " || event.key === "Enter")) return false;
  if (bench.looking) {
    const look = event.key.startsWith("Arrow")
      ? "lookNudge"
      : { Enter: "lookAccept", h: "lookHidden", Escape: "stopLooking" }[event.key];
    if (look) return (bench[look](event), true);
  }
  if ((bench.cursor || bench.outlining) && event.key.startsWith("Arrow") && !event.altKey) {
    bench.moveCursor(event);
    return true;
  }
  if (bench.outlining && bench.cursor && event.key === " ") return (bench.outlineToCursor(), true);
  if (bench.outlining && event.key === "Enter") return (bench.endOutline(), true);
  if (bench.linking && event.key === "Enter") return (bench.endLinking(false), true);
  const action = KEYS.find((entry) => entry.match(event, bench));
  action?.run(bench, event);
  return Boolean(action);
}
