// A shot to be looked at, with all that hangs in it, and notes to be written on its frames. Nothing else can be changed.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call, listen, throttled } from "./api.js";
import { compose } from "./compose.js";
import "./directives.js";
import { NoteMarks } from "./note_marks.js";
import { markOf, noting } from "./notes.js";
import { Painter } from "./painter.js";
import { Player } from "./player.js";
import { playing } from "./playing.js";
import { Scene } from "./scene.js";
import { Timeline } from "./timeline.js";

const KEYS = {
  " ": (page) => page.togglePlay(),
  ArrowLeft: (page) => page.step(-1),
  ArrowRight: (page) => page.step(1),
  Home: (page) => page.goTo(page.first),
  End: (page) => page.goTo(page.last),
  n: (page) => page.$refs.note.focus(),
};

Alpine.data("look", () => {
  const parts = { player: null, scene: null, noteMarks: null, timeline: null };
  return compose(noting(parts), playing(parts), {
    loaded: false,
    mayEdit: false,
    frame: 0,
    first: 0,
    last: 0,
    playing: false,
    problem: "",
    offline: false,
    clip: {},

    async init() {
      const { shot } = this.$el.dataset;
      this.path = `/api/shots/${shot}`;
      parts.player = new Player(this.$refs.canvas, {
        frame: (frame) => this.frameChanged(frame),
        shown: () => this.paintNotes(),
        view: () => this.paintNotes(),
        playing: (on) => this.playingChanged(on),
      });
      parts.scene = new Scene(() => parts.player.redraw());
      const painter = new Painter(parts.scene, parts.player);
      parts.player.overIt = (context) => painter.paint(context);
      parts.player.beforePlaying = () => parts.scene.prepare(painter.ratio);
      const fetched = (at, art) => call("GET", `${this.path}/scene?at=${at}&art=${art}`);
      parts.scene.open(
        fetched,
        () => painter.ratio,
        () => parts.player.redraw(),
      );
      parts.noteMarks = new NoteMarks(this.$refs.over, parts.player);
      parts.timeline = new Timeline(this.$refs.rows, this.$refs.ruler, {
        go: (frame) => this.goTo(frame),
        range: () => {},
        keysPicked: () => {},
      });
      this.rulerSoon = throttled(60, () => this.drawRuler());
      this.renewSoon = throttled(500, () => this.renew());
      window.jampin = { player: parts.player, look: this };
      if (!(await this.open())) return;
      this.bindPicture(this.$refs.picture);
      new ResizeObserver(() => (parts.player.resize(), this.drawRuler())).observe(this.$refs.picture);
      listen(
        { shot },
        ({ event }) => this.told(event),
        (open) => this.connected(open),
      );
    },

    async open() {
      try {
        const state = await call("GET", `${this.path}/look`);
        this.clip = state.clip;
        [this.first, this.last] = [state.range.first, state.range.last];
        parts.player.open(Alpine.raw(this.clip), { first: this.first, last: this.last });
        parts.player.go(this.first);
        await parts.scene.windows.renew(this.first);
        await this.loadNotes();
        this.loaded = true;
        return true;
      } catch (error) {
        this.say(error.message);
        return false;
      }
    },
    // What happened before the first moment of it, or while it was broken, nobody tells.
    connected(open) {
      this.offline = !open;
      if (open) this.told("missed");
    },
    told(event) {
      if (event === "notes" || event === "missed") this.loadNotes();
      if (event !== "notes") this.renewSoon();
    },
    // Somebody works on it: what hangs is another.
    async renew() {
      await parts.scene.windows.renew(this.frame).catch((error) => this.say(error.message));
      parts.player.redraw();
    },

    // A click is a place, a drag an arrow: for the note that is written next.
    bindPicture(picture) {
      const at = (event) => {
        const box = picture.getBoundingClientRect();
        return { x: event.clientX - box.left, y: event.clientY - box.top };
      };
      let from = null;
      picture.addEventListener("pointerdown", (event) => {
        if (event.button !== 0) return;
        picture.setPointerCapture(event.pointerId);
        parts.player.pause();
        from = at(event);
      });
      const moved = (event) => {
        if (!from) return;
        this.noteMark = markOf(parts.player, from, at(event));
        this.paintNotes();
      };
      picture.addEventListener("pointermove", moved);
      picture.addEventListener("pointerup", (event) => {
        moved(event);
        from = null;
        this.$refs.note.focus();
      });
      picture.addEventListener("pointercancel", () => (from = null));
    },

    frameChanged(frame) {
      if (frame !== this.frame) this.noteMark = null;
      this.frame = frame;
      this.playing ? this.rulerSoon() : this.drawRuler();
      this.paintNotes();
    },
    playingChanged(on) {
      this.playing = on;
      this.paintNotes();
      this.drawRuler();
    },
    // Keys are the page's while nobody types or is on a button.
    key(event) {
      const act = KEYS[event.key];
      const busy = event.target.closest("input, textarea, button, a, select");
      if (!act || busy || event.ctrlKey || event.metaKey || event.altKey) return;
      event.preventDefault();
      act(this);
    },
    notesCame() {
      this.drawRuler();
    },
    drawRuler() {
      const range = { first: this.first, last: this.last };
      const none = { subjects: [], view: "pace", pin: null, chosen: null, cuts: [], noCuts: [], prepared: Infinity };
      parts.timeline.draw({ ...none, range, frame: this.frame, notes: Alpine.raw(this.notes) });
    },
    get noteLabel() {
      return this.noteMark ? `A note on this place of frame ${this.frame}` : `A note on frame ${this.frame}`;
    },
    forgetMark() {
      this.noteMark = null;
      this.paintNotes();
    },
    say(text) {
      this.problem = text;
    },
  });
});
Alpine.start();
