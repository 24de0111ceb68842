// Where the next pin goes: put down by mouse, or by keyboard under a crosshair.
import { spotProblem } from "./spots.js";

export const placing = (parts) => ({
  cursor: null,
  placing: false,
  placingHere: false,
  // The subject that was selected before a new one was asked for.
  left: null,

  newSubject() {
    this.left = this.selected ?? this.left;
    this.selected = null;
    this.placing = true;
    this.outlining = this.reshaping = null;
    this.cursor = this.middleOfView();
    this.$refs.picture.focus();
    this.repaint();
  },
  // Whether a click beside everything leaves the subject, because nothing is begun with it.
  get leavesHere() {
    const begun = this.openId || this.looking || this.reshaping || this.chosen;
    return !this.wantsPin && !begun;
  },
  // The next click follows another thing. What is typed meanwhile is a name that was begun too early, and must not reach
  // the keys of tools.
  leaveSubject() {
    this.newSubject();
    this.cursor = null;
    this.beginAhead();
    this.refuseAhead();
  },
  middleOfView() {
    const { player } = parts;
    const middle = player.toPicture(player.box.width / 2, player.box.height / 2);
    return { x: Math.round(middle.x) + 0.5, y: Math.round(middle.y) + 0.5 };
  },
  moveCursor(event) {
    this.cursor ??= this.middleOfView();
    const by = event.shiftKey ? 10 : 1;
    const dx = { ArrowLeft: -by, ArrowRight: by }[event.key] ?? 0;
    const dy = { ArrowUp: -by, ArrowDown: by }[event.key] ?? 0;
    this.cursor = { x: this.cursor.x + dx, y: this.cursor.y + dy };
    this.repaint();
  },
  // Of the picture that is seen, and clicked on: the one before, while the next one has not come.
  seenFrame() {
    const { shown } = parts.player;
    return shown < 0 ? this.frame : shown;
  },
  putAtCursor() {
    const { x, y } = this.cursor;
    this.putPin(x, y);
  },
  async putPin(x, y) {
    this.cursor = null;
    this.$refs.hint.hidden = true;
    if (this.byHand) return this.handPlaced(x, y);
    if (this.adding === "point") return this.placePoint(x, y);
    const { width, height } = this.clip;
    if (x < 0 || y < 0 || x >= width || y >= height) {
      this.say("The pin has to be put on the picture.", true);
      return;
    }
    if (this.placingHere) {
      this.placingHere = false;
      await this.setGuide(x, y, this.seenFrame());
      return;
    }
    if (this.adding === "pin") return this.addPin(x, y);
    const frame = this.seenFrame();
    const hand_over = this.handing ? this.selected : null;
    if (!hand_over) this.beginAhead();
    const answer = await this.send("POST", "/pins", { frame, x, y, follow: true, hand_over });
    if (!answer) {
      if (!hand_over) this.refuseAhead();
      return;
    }
    this.select(answer.made.subject);
    if (hand_over) return;
    this.say(spotProblem(answer.choice.problem), false);
    this.$nextTick(() => this.endAhead(this.focusOn("subject-name")));
  },

  escape() {
    if (this.outlining) this.dropOutline();
    else if (this.linking || this.reshaping) {
      this.linking = this.reshaping = null;
      this.repaint();
    } else if (this.adding) this.addOn(this.adding);
    else if (this.byHand) this.endByHand();
    else if (this.chosen) this.choose(null);
    else if (this.handing || this.placingHere) {
      this.handing = this.placingHere = false;
      this.cursor = null;
      this.repaint();
    } else if (this.cursor || this.placing) {
      this.cursor = null;
      this.placing = false;
      const back = this.subjects.find(({ id }) => id === this.left) ?? this.subjects[0];
      if (!this.selected && back) this.select(back.id);
      this.repaint();
    } else if (this.openId && !this.job) this.openAttachment(null);
    else this.stopFollowing();
  },
});
