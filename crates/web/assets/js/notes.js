// Notes on frames: read, written, answered. The bench has them, and the page on which a shot is only looked at.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call } from "./api.js";

const day = new Intl.DateTimeFormat(undefined, { dateStyle: "medium", timeStyle: "short" });
const AWAY = 8; // Pixels from which a press is the drawing of an arrow.

const describe = (note, index) => ({
  ...note,
  number: index + 1,
  done: note.done_at !== null,
  when: day.format(new Date(note.made_at)),
  answers: note.answers.map((answer, n) => ({ ...answer, key: n, when: day.format(new Date(answer.at)) })),
});

// What a press on the picture means, by where it began and ended on the stage: a place, or an arrow to it.
export function markOf(player, from, to) {
  const pair = ({ x, y }) => {
    const at = player.toPicture(x, y);
    const inside = (value, most) => Math.min(most, Math.max(0, Math.round(value * 10) / 10));
    return [inside(at.x, player.size.width), inside(at.y, player.size.height)];
  };
  const drawn = Math.hypot(to.x - from.x, to.y - from.y) >= AWAY;
  return { at: pair(to), from: drawn ? pair(from) : null };
}

// `parts.noteMarks` paints; the page says where it is (`path`, `frame`, `goTo`) and shows what goes wrong (`say`).
export const noting = (parts) => ({
  notes: [],
  answering: null,
  answerText: "",
  noteText: "",
  noteMark: null,

  async loadNotes() {
    try {
      const notes = await call("GET", `${this.path}/notes`);
      this.notes = notes.map(describe);
      this.paintNotes();
      this.notesCame();
    } catch (error) {
      if (error.word !== "offline") this.say(error.message, true);
    }
  },
  get openNotes() {
    return this.notes.filter((note) => !note.done).length;
  },
  get notesText() {
    return this.openNotes ? `${this.openNotes} open` : "all done";
  },
  paintNotes() {
    const here = this.playing ? [] : Alpine.raw(this.notes).filter((note) => note.frame === this.frame);
    parts.noteMarks?.paint(here, Alpine.raw(this.noteMark));
  },
  async writeNote() {
    const body = { frame: this.frame, mark: Alpine.raw(this.noteMark), text: this.noteText };
    if (!(await this.askNotes("POST", "/notes", body))) return;
    this.noteText = "";
    this.noteMark = null;
    this.paintNotes();
  },
  beginAnswer(note) {
    this.answering = this.answering === note.id ? null : note.id;
    this.answerText = "";
  },
  async sendAnswer(note) {
    if (await this.askNotes("POST", `/notes/${note.id}/answers`, { text: this.answerText })) this.answering = null;
  },
  setDone(note, done) {
    return this.askNotes("PATCH", `/notes/${note.id}`, { done });
  },
  removeNote(note) {
    if (window.confirm("Remove this note, with its answers?")) this.askNotes("DELETE", `/notes/${note.id}`);
  },
  // The next that is not done, after the frame in view and round again.
  nextNote() {
    const open = this.notes.filter((note) => !note.done);
    const next = open.find((note) => note.frame > this.frame) ?? open[0];
    if (next) this.goTo(next.frame);
  },
  async askNotes(method, address, body) {
    try {
      await call(method, `${this.path}${address}`, body);
      await this.loadNotes();
      return true;
    } catch (error) {
      this.say(error.message, true);
      return false;
    }
  },
});
