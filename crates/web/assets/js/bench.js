// The bench: one shot. Where things are and how they move comes from the server; this shows it and sends what is done.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call, listen, throttled } from "./api.js";
import { typingAhead } from "./ahead.js";
import { faces } from "./areas.js";
import { attaching } from "./attach.js";
import { bounding } from "./boundary.js";
import { cleaning } from "./clean.js";
import { compose } from "./compose.js";
import "./directives.js";
import { following } from "./follow.js";
import { hearing } from "./hearing.js";
import { holding } from "./hold.js";
import { KEYS } from "./keys.js";
import { looking } from "./looking.js";
import { losing } from "./losses.js";
import { mending } from "./mend.js";
import { outlining } from "./outlining.js";
import { Nets } from "./nets.js";
import { NoteMarks } from "./note_marks.js";
import { noting } from "./notes.js";
import { Overlay } from "./overlay.js";
import { stilling } from "./still.js";
import "./panels/area.js";
import "./panels/attach.js";
import "./panels/check.js";
import "./panels/clean.js";
import "./panels/export.js";
import "./panels/follow.js";
import "./panels/import.js";
import "./panels/keyframes.js";
import "./panels/look.js";
import "./panels/mend.js";
import "./panels/pins.js";
import "./panels/settings.js";
import "./panels/show.js";
import { patching } from "./patches.js";
import { placing } from "./placing.js";
import { Player } from "./player.js";
import { playing } from "./playing.js";
import { present } from "./presence.js";
import { Pointer } from "./pointer.js";
import { rowing } from "./rows.js";
import { spotting } from "./spots.js";
import { Session } from "./session.js";
import { loadForms } from "./settings.js";
import { several } from "./several.js";
import { Timeline } from "./timeline.js";
import { isPresent } from "./track.js";
import { paintLegend } from "./trail.js";

Alpine.data("bench", () => {
  // Kept out of Alpine's sight: large, and changed many times a second.
  const parts = {
    player: null,
    overlay: null,
    timeline: null,
    tracks: new Map(),
    typing: null,
    samplesVersion: null, // The state of the samples in `tracks`.
  };

  const others = [
    hearing(parts),
    typingAhead(parts),
    placing(parts),
    following(parts),
    losing(parts),
    mending(parts),
    cleaning(parts),
    holding(parts),
    several(parts),
    bounding(),
    patching(),
    spotting(parts),
    looking(parts),
    playing(parts),
    rowing(parts),
    attaching(parts),
    outlining(parts),
    faces(parts),
    stilling(parts),
    noting(parts),
    present(parts),
  ];
  return compose(...others, {
    loaded: false,
    clip: {},
    subjects: [],
    selected: null,
    frame: 0,
    first: 0,
    last: 0,
    playing: false,
    playText: "",
    zoomText: "",
    undoTitle: null,
    undoBy: null, // Whose the newest change is, when it is somebody else's.
    redoTitle: null,
    jobs: [],
    notices: [],
    noticeCount: 0, // Since the page was opened.
    panning: false,
    saving: 0,
    keys: KEYS,
    mayEdit: false,
    dragPlace: null,
    legendShown: false,
    dragPin: null,

    async init() {
      const { shot, project } = this.$el.dataset;
      this.path = `/api/shots/${shot}`;
      this.project = project;
      this.mayEdit = this.$el.dataset.edits === "true";
      parts.session = new Session(this.path, {
        call,
        mayEdit: this.mayEdit,
        refresh: () => this.refresh(),
        failed: (message) => this.say(message, true),
        changed: (saving) => (this.saving = saving),
      });
      const events = {
        frame: (frame) => this.frameChanged(frame),
        shown: () => (this.playing ? this.drawStill() : this.repaint()),
        view: () => this.viewChanged(),
        playing: (on) => this.playingChanged(on),
        moved: () => (parts.holdAt = null),
      };
      parts.player = new Player(this.$refs.canvas, events);
      parts.overlay = new Overlay(this.$refs.over, parts.player);
      parts.overlay.paintFresh = (context) => this.paintFresh(context);
      window.addEventListener("beforeunload", (event) => this.strokes.length && event.preventDefault());
      parts.noteMarks = new NoteMarks(this.$refs.over, parts.player);
      parts.nets = new Nets(this.path, () => this.repaint());
      const scene = (at, art) => call("GET", `${this.path}/scene?at=${at}&art=${art}`);
      parts.overlay.faces.facesOn = (frame) => (this.playing && !this.gridPlays ? [] : this.facesOn(frame));
      parts.overlay.openScene(scene, () => this.sceneCame());
      parts.timeline = new Timeline(this.$refs.rows, this.$refs.ruler, {
        go: (frame) => this.goTo(frame),
        range: (range) => this.choose(range),
        addKey: (frame) => this.addKey(frame),
        keysPicked: () => this.keysChosen(),
        keysDragged: (changes, done) => this.keysDragged(changes, done),
      });
      this.refreshSoon = throttled(60, () => this.refresh());
      this.sceneSoon = throttled(200, () => this.refreshScene());
      this.patchesSoon = throttled(90, () => this.refreshPatches());
      this.timelineSoon = throttled(120, () => this.drawTimeline());
      this.pathSoon = throttled(80, () => this.refreshPath());
      this.spotsSoon = throttled(250, () => this.loadSpots());
      paintLegend(this.$refs.legend);
      window.jampin = {
        player: parts.player,
        overlay: parts.overlay,
        timeline: parts.timeline,
        bench: this,
        session: parts.session,
        panel: (name) => Alpine.$data(document.querySelector(`[x-data=${name}Panel]`)),
      };
      await loadForms(this.path).catch((error) => this.say(error.message, true));
      if (!(await this.refresh())) return;
      this.loadNotes();
      parts.player.go(this.first);
      this.beginPresence(this.$refs.picture);
      parts.pointer = new Pointer(this, parts, this.$refs.picture, this.$refs.hint);
      new ResizeObserver(() => this.resized()).observe(this.$refs.picture);
      new ResizeObserver(([{ contentRect }]) => this.fitRows(contentRect.height)).observe(this.$refs.ruler);
      listen(
        { shot, project },
        (event) => this.told(event),
        (open) => this.connected(open),
      );
    },

    // --- what is shown --------------------------------------------------------------------------------------------

    get subject() {
      return this.subjects.find((one) => one.id === this.selected) ?? null;
    },
    // The pin that was picked, or the one that leads the subject on this frame.
    get pin() {
      const picked = this.subject?.pins.find((pin) => pin.id === this.pickedPin);
      return picked ?? (this.subject ? this.leader(this.subject) : null);
    },
    leader(subject) {
      const lead = subject.leads.findLast((one) => one.from <= this.frame);
      return subject.pins.find((pin) => pin.id === lead?.pin) ?? null;
    },
    get track() {
      return (this.samplesSeen, this.pin) ? (parts.tracks.get(this.pin.id) ?? null) : null;
    },
    get sample() {
      return this.track?.get(this.frame) ?? null;
    },
    get here() {
      const sample = this.sample;
      return Boolean(sample) && isPresent(sample.state);
    },
    get timecode() {
      const per = this.clip.timecode_base;
      if (!per) return "00:00:00:00";
      const seconds = Math.floor(this.frame / per);
      const two = (n) => String(n).padStart(2, "0");
      return [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60, this.frame % per]
        .map(two)
        .join(":");
    },
    get revision() {
      return parts.session?.revision ?? 0;
    },
    get savedText() {
      if (this.offline) return "Server away: changes cannot be saved";
      return this.saving ? "Saving …" : "Saved";
    },
    get pictureLabel() {
      return `Picture, frame ${this.frame}. ${this.subject ? "" : "Click on what should be followed."}`;
    },
    get wantsPin() {
      return (
        this.placing ||
        this.placingHere ||
        this.handing ||
        this.byHand !== null ||
        this.adding !== null ||
        !this.subject
      );
    },
    get pictureClass() {
      return `${this.wantsPin ? "placing" : ""} ${this.panning ? "panning" : ""}`;
    },
    say(text, bad = false, action = null, run = null) {
      if (!text || this.notices.some((notice) => notice.text === text)) return;
      const key = ++this.noticeCount;
      this.notices.push({ key, text, bad, action, run });
      if (!bad) setTimeout(() => this.dismiss({ key }), 7000);
    },
    dismiss(notice) {
      this.notices = this.notices.filter((other) => other.key !== notice.key);
    },
    act(notice) {
      this.dismiss(notice);
      Alpine.raw(notice).run?.();
    },

    overlayState() {
      const others = [];
      const second = this.clip.rate[0] / this.clip.rate[1];
      for (const one of this.subjects) {
        if (one.id === this.selected || !one.pins.length || this.playing) continue;
        const track = parts.tracks.get(this.leader(one).id);
        const place = track?.get(this.frame);
        if (place && !this.isUnknown(track, this.frame, second))
          others.push({ place, letter: one.letter, colour: this.colours[one.colour] });
      }
      const mine =
        this.playing || !this.subject
          ? {}
          : {
              ownPins: this.otherPinsHere(),
              carried: this.carriedHere(),
              linked: this.linkedPlaces(),
            };
      const place = this.isUnknown(this.track, this.frame, second) ? null : this.sample;
      const dragged = { pin: this.dragPin ?? this.pin, place: this.dragPlace ?? place };
      const shown = {
        track: this.track,
        others,
        cursor: this.cursor,
        playing: this.playing,
        spots: this.shownSpots,
        grabbable: this.grabbable(),
        opened: this.openId,
        hasArea: Boolean(this.area),
        outlined: this.outlining,
      };
      return { ...mine, second, ...dragged, ...shown, path: this.cleaned ? parts.path : null };
    },
    // What can be dragged, with its kind: all that hangs on the selected subject, and every label.
    grabbable() {
      if (this.wantsPin && this.subject) return null;
      if (this.linking || this.outlining || this.reshaping) return null;
      const mine = (one) =>
        one.kind !== "boundary" && (one.kind === "label" || this.attachments.some((own) => own.id === one.id));
      return new Map(
        this.subjects
          .flatMap((one) => one.attachments)
          .filter(mine)
          .map((one) => [one.id, one.kind]),
      );
    },
    repaint() {
      if (!this.loaded) return;
      parts.overlay.paint(this.overlayState());
      this.paintNotes();
      this.paintPeople();
      this.drawStill();
      this.drawTimeline();
    },

    // --- changing -------------------------------------------------------------------------------------------------

    write(work, failed) {
      return parts.session.write(work, failed);
    },
    // When all that was written so far has been answered.
    settled() {
      return parts.session.pending;
    },
    send(method, address, body) {
      return parts.session.send(method, address, body);
    },
    edit(title, edit) {
      return parts.session.edit(title, edit);
    },
    undo() {
      if (!this.undoTitle) return;
      if (this.undoBy && !window.confirm(`The newest change is ${this.undoBy}'s: “${this.undoTitle}”. Take it back?`))
        return;
      this.placing = false;
      this.send("POST", "/undo", {});
    },
    redo() {
      if (!this.redoTitle) return;
      this.send("POST", "/redo", {});
    },

    select(id) {
      this.putBrushAway();
      this.selected = id;
      this.placing = false;
      this.handing = false;
      this.placingHere = false;
      this.byHand = null;
      this.adding = this.linking = this.outlining = this.reshaping = this.openId = null;
      this.pickedPin = this.rowsAt = null;
      this.chosen = null;
      parts.timeline.curves.picked.clear();
      this.keysPicked = [];
      parts.holdAt = null;
      this.pathSoon();
      this.cursor = null;
      this.forgetSpot();
      this.repaint();
      this.patchesSoon();
      this.refreshDoubts();
    },
    nextSubject() {
      if (!this.subjects.length) return;
      const index = this.subjects.findIndex((one) => one.id === this.selected);
      this.select(this.subjects[(index + 1) % this.subjects.length].id);
    },
    // While a name is typed the label follows every letter; only the finished name is one edit.
    nameTyped(text) {
      clearTimeout(parts.typing);
      parts.typing = setTimeout(() => this.rename(text), 500);
    },
    rename(text) {
      clearTimeout(parts.typing);
      const name = text.trim();
      const { subject } = this;
      if (!subject || !name || name === subject.name) return;
      this.edit(`Name ${name}`, { edit: "rename", subject: subject.id, name });
    },
    removeSubject() {
      const { subject } = this;
      if (!subject) return;
      this.edit(`Remove ${subject.name}`, { edit: "remove_subject", subject: subject.id });
      this.say(`${subject.name} is removed.`, false, "Undo", () => this.undo());
    },
  });
});
Alpine.start();
