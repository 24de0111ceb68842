// The bench: one shot. Where things are and how they move comes from the server; this shows it and sends what is done.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call, listen, throttled } from "./api.js";
import { KEYS, press } from "./keys.js";
import { Overlay } from "./overlay.js";
import { Player } from "./player.js";
import { Pointer } from "./pointer.js";
import { Timeline } from "./timeline.js";
import { Track } from "./track.js";

const STATE_WORDS = { found: "found", guide: "set by hand", hidden: "hidden", bridged: "bridged", outside: "outside" };
const DEFAULT_BOX = { fill: "#16202a", opacity: 0.78, padding: 10, radius: 5 };

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

Alpine.data("bench", () => {
  // Kept out of Alpine's sight: large, and changed many times a second.
  const parts = { player: null, overlay: null, timeline: null, tracks: new Map(), pending: Promise.resolve(), typing: null };

  return {
    loaded: false,
    revision: 0,
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
    redoTitle: null,
    jobs: [],
    notices: [],
    cursor: null,
    placing: false,
    panning: false,
    saving: 0,
    offline: false,
    samplesSeen: 0,
    sceneSeen: 0,
    patches: { picked: "", now: "", difference: "" },
    keys: KEYS,
    dragPlace: null,
    dragPin: null,

    async init() {
      const { shot, project } = this.$el.dataset;
      this.path = `/api/shots/${shot}`;
      const events = {
        frame: (frame) => this.frameChanged(frame),
        shown: () => this.repaint(),
        view: () => this.viewChanged(),
        playing: (on) => this.playingChanged(on),
      };
      parts.player = new Player(this.$refs.canvas, events);
      parts.overlay = new Overlay(this.$refs.over, parts.player);
      parts.timeline = new Timeline(this.$refs.rows, this.$refs.ruler, (frame) => this.goTo(frame));
      this.refreshSoon = throttled(60, () => this.refresh());
      this.sceneSoon = throttled(200, () => this.refreshScene());
      this.patchesSoon = throttled(90, () => this.refreshPatches());
      window.jampin = { player: parts.player, overlay: parts.overlay, bench: this };
      if (!(await this.refresh())) return;
      parts.player.go(this.first);
      new Pointer(this, parts, this.$refs.picture, this.$refs.hint);
      new ResizeObserver(() => this.resized()).observe(this.$refs.picture);
      new ResizeObserver(() => this.drawTimeline()).observe(this.$refs.ruler);
      listen(`shot=${shot}&project=${project}`, (event) => this.told(event), (open) => this.connected(open));
    },

    // --- what the server says -------------------------------------------------------------------------------------

    connected(open) {
      if (open && this.offline) this.refreshSoon();
      this.offline = !open;
    },

    told(event) {
      if (event.event === "samples") this.mergeSamples(event);
      else if (event.event === "clip") this.clipMoved(event);
      else if (event.event === "shot" && event.revision === this.revision) this.sceneSoon();
      else this.refreshSoon();
    },

    async refresh() {
      let state;
      try {
        state = await call("GET", this.path);
      } catch (error) {
        this.say(error.message, true);
        return false;
      }
      const opening = !this.loaded;
      this.revision = state.shot.revision;
      this.clip = state.clip;
      this.colours = state.colours;
      this.first = state.shot.range.first;
      this.last = state.shot.range.last;
      this.subjects = state.subjects;
      this.undoTitle = state.undo;
      this.redoTitle = state.redo;
      this.jobs = state.jobs;
      parts.tracks = new Map(state.tracks.map((columns) => [columns.pin, Track.fromColumns(columns)]));
      this.samplesSeen++;
      if (opening || !this.subjects.some((one) => one.id === this.selected)) {
        this.selected = this.subjects.length && !this.placing ? this.subjects[0].id : null;
      }
      this.loaded = true;
      const range = { first: this.first, last: this.last };
      if (opening) parts.player.open(Alpine.raw(state.clip), range);
      else Object.assign(parts.player, { clip: Alpine.raw(state.clip), range });
      if (opening) state.clip.remarks.forEach((remark) => this.say(remark));
      if (state.clip.problem) this.say(state.clip.problem, true);
      this.reportEnds();
      this.repaint();
      this.sceneSoon();
      this.patchesSoon();
      return true;
    },

    async mergeSamples({ pin, first, last }) {
      try {
        const columns = await call("GET", `${this.path}/samples?pin=${pin}&first=${first}&last=${last}`);
        const track = parts.tracks.get(pin) ?? new Track();
        parts.tracks.set(pin, track);
        track.merge(columns, first, last);
        this.samplesSeen++;
        this.repaint();
        this.sceneSoon();
      } catch {
        this.refreshSoon();
      }
    },

    async refreshScene() {
      try {
        parts.overlay.setScene(await call("GET", `${this.path}/scene`));
        parts.overlay.labelShift = null;
        this.sceneSeen++;
        this.repaint();
      } catch (error) {
        if (error.word !== "offline") this.say(error.message, true);
      }
    },

    refreshPatches() {
      const pin = this.pin;
      const sample = this.sample;
      if (!pin || !sample || this.playing) {
        if (!sample) this.patches = { picked: "", now: "", difference: "" };
        return;
      }
      const where = `frame=${this.frame}&at=${sample.x},${sample.y}&of=${pin.frame},${pin.at.x},${pin.at.y},${pin.pattern}`;
      const address = (which) => `${this.path}/pins/${pin.id}/${which}.png?${where}`;
      this.patches = { picked: address("picked"), now: address("now"), difference: address("difference") };
    },

    clipMoved({ clip, prepared }) {
      if (clip !== this.clip.id) return;
      this.clip.prepared = prepared;
      if (prepared > this.last) this.refreshSoon();
      this.drawTimeline();
    },

    // How following ended is said once, where it happened.
    reportEnds() {
      const told = (this.endsTold ??= new Set(this.jobs.filter((job) => job.ended_at).map((job) => job.id)));
      for (const job of this.jobs) {
        if (!job.ended_at || told.has(job.id)) continue;
        told.add(job.id);
        if (job.state === "failed") this.say(job.problem, true);
        else if (job.kind === "follow" && job.result) {
          for (const end of job.result.ends) if (end.end.reason === "flat_pattern") this.say(end.sentence, true);
        }
      }
    },

    // --- what is shown --------------------------------------------------------------------------------------------

    get subject() {
      return this.subjects.find((one) => one.id === this.selected) ?? null;
    },
    get pin() {
      return this.subject?.pins[0] ?? null;
    },
    get track() {
      return (this.samplesSeen, this.pin) ? (parts.tracks.get(this.pin.id) ?? null) : null;
    },
    get sample() {
      return this.track?.get(this.frame) ?? null;
    },
    get here() {
      const sample = this.sample;
      return Boolean(sample) && ["found", "guide", "bridged"].includes(sample.state);
    },
    get label() {
      return this.attachment ?? null;
    },
    get attachment() {
      return this.subject?.attachments.find((one) => one.kind === "label") ?? null;
    },
    get threshold() {
      return Math.round((this.pin?.stop_below ?? 0.8) * 100);
    },
    get boxOpacity() {
      return Math.round((this.label?.box?.opacity ?? 0) * 100);
    },
    get job() {
      const active = (job) => job.kind === "follow" && job.payload.pin === this.pin?.id && !job.ended_at;
      return this.jobs.find(active) ?? null;
    },
    get offset() {
      const seen = this.sceneSeen && this.attachment;
      const found = seen && parts.overlay.sceneData?.offsets.find((one) => one.attachment === this.attachment.id);
      return found ? { x: Math.round(found.offset.x), y: Math.round(found.offset.y) } : { x: 0, y: 0 };
    },
    get facts() {
      const sample = this.sample;
      if (!sample) return { match: "–", speed: "–", state: "not here", x: "", y: "" };
      const before = this.track.get(this.frame - 1);
      const speed = before ? `${Math.hypot(sample.x - before.x, sample.y - before.y).toFixed(1)} px/fr` : "–";
      const place = this.dragPlace ?? sample;
      return {
        match: `${Math.floor(sample.match * 100)} %`,
        speed,
        state: STATE_WORDS[sample.state],
        x: place.x.toFixed(2),
        y: place.y.toFixed(2),
      };
    },
    get followText() {
      if (this.job) return `following … ${this.track?.count() ?? 0} frames`;
      const track = this.track;
      if (!track || !track.count()) return "not followed yet";
      const spans = track.spans().length;
      return `${spans} ${spans === 1 ? "span" : "spans"}, ${track.count()} frames found`;
    },
    get endText() {
      const job = this.jobs.find((one) => one.kind === "follow" && one.payload.pin === this.pin?.id);
      if (!job || !job.ended_at) return "";
      if (job.state === "failed") return job.problem;
      if (job.state === "cancelled") return "Stopped by hand. What was found is kept.";
      const stops = job.result.ends.filter((end) => end.end.reason !== "end_of_range");
      return stops.length ? stops.map((end) => end.sentence).join(" ") : "Followed to both ends of its range.".replace("both ends", job.result.ends.length > 1 ? "both ends" : "the end");
    },
    get followClass() {
      return this.track && this.track.count() > 1 ? "" : "act";
    },
    get attachText() {
      const count = this.subject?.attachments.length ?? 0;
      return `${count} ${count === 1 ? "label" : "labels"}`;
    },
    get timecode() {
      if (!this.clip.rate) return "00:00:00:00";
      const per = Math.max(1, Math.round(this.clip.rate[0] / this.clip.rate[1]));
      const seconds = Math.floor(this.frame / per);
      const two = (n) => String(n).padStart(2, "0");
      return [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60, this.frame % per].map(two).join(":");
    },
    get savedText() {
      if (this.offline) return "Server away: changes cannot be saved";
      return this.saving ? "Saving …" : "Saved";
    },
    get pictureLabel() {
      return `Picture, frame ${this.frame}. ${this.subject ? "" : "Click on what should be followed."}`;
    },
    get pictureClass() {
      return `${this.placing || !this.subject ? "placing" : ""} ${this.panning ? "panning" : ""}`;
    },
    get exports() {
      return this.jobs.filter((job) => job.kind === "export").map((job) => this.describeExport(job));
    },

    describeExport(job) {
      const kind = job.payload.container === "mp4" ? "MP4" : "WebM";
      const progress = job.progress ?? {};
      const left = progress.seconds_left ? `, ${Math.ceil(progress.seconds_left)} s left` : "";
      const texts = {
        waiting: "waiting",
        running: progress.of ? `${progress.frames} of ${progress.of} frames${left}` : "starting",
        done: job.result ? `${(job.result.bytes / 1e6).toFixed(1)} MB, ${job.result.frames} frames` : "",
        failed: job.problem,
        cancelled: "stopped",
      };
      return {
        id: job.id,
        title: kind,
        text: texts[job.state],
        active: job.state === "waiting" || job.state === "running",
        share: progress.of ? progress.frames / progress.of : 0,
        href: job.state === "done" ? `/api/exports/${job.id}/film` : undefined,
      };
    },

    say(text, bad = false, action = null, run = null) {
      if (!text || this.notices.some((notice) => notice.text === text)) return;
      const key = `${performance.now()}`;
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
      for (const one of this.subjects) {
        if (one.id === this.selected || !one.pins.length || this.playing) continue;
        const place = parts.tracks.get(one.pins[0].id)?.get(this.frame);
        if (place) others.push({ place, letter: one.letter, colour: this.colours[one.colour] });
      }
      return { pin: this.dragPin ?? this.pin, place: this.dragPlace ?? this.sample, track: this.track, others, cursor: this.cursor, playing: this.playing };
    },
    repaint() {
      if (!this.loaded) return;
      parts.overlay.paint(this.overlayState());
      this.drawTimeline();
    },
    drawTimeline() {
      if (!this.loaded) return;
      parts.timeline.draw({
        range: { first: this.first, last: this.last },
        subjects: Alpine.raw(this.subjects),
        selected: this.selected,
        tracks: parts.tracks,
        colours: this.colours,
        cuts: this.clip.cuts,
        prepared: this.clip.state === "ready" ? Infinity : this.clip.prepared,
        frame: this.frame,
      });
    },

    // --- looking --------------------------------------------------------------------------------------------------

    frameChanged(frame) {
      this.frame = frame;
      this.repaint();
      if (this.playing) this.playText = this.dropText();
      else this.patchesSoon();
    },
    viewChanged() {
      this.zoomText = `${Math.round(parts.player.view.scale * 100)} %`;
      this.repaint();
    },
    resized() {
      parts.player.resize();
      this.drawTimeline();
    },
    dropText() {
      const dropped = parts.player.dropped;
      return dropped === 0 ? "no frame dropped" : `${dropped} ${dropped === 1 ? "frame" : "frames"} dropped`;
    },
    playingChanged(on) {
      this.playing = on;
      const measured = parts.player.measured;
      this.playText = on || !measured ? "" : this.dropText();
      this.repaint();
      if (!on) this.patchesSoon();
    },
    goTo(frame) {
      const number = Number(frame);
      if (!Number.isFinite(number)) return;
      parts.player.pause();
      parts.player.go(number);
    },
    step(by) {
      this.goTo(this.frame + by);
    },
    togglePlay() {
      if (parts.player.playing) parts.player.pause();
      else parts.player.play();
    },
    zoomBy(factor) {
      parts.player.zoom(factor);
    },
    fit() {
      parts.player.fit();
    },
    closeUp() {
      const sample = this.sample;
      if (!sample) return;
      if (parts.player.view.scale < 4) parts.player.zoom(4 / parts.player.view.scale);
      parts.player.centre(sample.x, sample.y);
    },
    focusOn(id) {
      const field = document.getElementById(id);
      field?.focus();
      field?.select?.();
    },
    openSheet(id) {
      window.bootstrap.Modal.getOrCreateInstance(document.getElementById(id)).show();
    },
    key(event) {
      if (press(event, this)) event.preventDefault();
    },

    // --- changing -------------------------------------------------------------------------------------------------

    // One write after the other, each against the newest revision this page knows.
    write(work) {
      this.saving++;
      const done = parts.pending.then(async () => {
        try {
          const answer = await work();
          if (answer?.revision) this.revision = answer.revision;
          await this.refresh();
          return answer;
        } catch (error) {
          this.say(error.message, true);
          await this.refresh();
          return null;
        } finally {
          this.saving--;
        }
      });
      parts.pending = done;
      return done;
    },
    edit(title, edit) {
      return this.write(() => call("POST", `${this.path}/edits`, { revision: this.revision, title, edit }));
    },
    undo() {
      if (!this.undoTitle) return;
      this.placing = false;
      this.write(() => call("POST", `${this.path}/undo`, { revision: this.revision }));
    },
    redo() {
      if (!this.redoTitle) return;
      this.write(() => call("POST", `${this.path}/redo`, { revision: this.revision }));
    },

    select(id) {
      this.selected = id;
      this.placing = false;
      this.cursor = null;
      this.repaint();
      this.patchesSoon();
    },
    nextSubject() {
      if (!this.subjects.length) return;
      const index = this.subjects.findIndex((one) => one.id === this.selected);
      this.select(this.subjects[(index + 1) % this.subjects.length].id);
    },
    newSubject() {
      this.selected = null;
      this.placing = true;
      const { player } = parts;
      const middle = player.toPicture(player.box.width / 2, player.box.height / 2);
      this.cursor = { x: Math.round(middle.x) + 0.5, y: Math.round(middle.y) + 0.5 };
      this.$refs.picture.focus();
      this.repaint();
    },
    moveCursor(event) {
      const by = event.shiftKey ? 10 : 1;
      const dx = { ArrowLeft: -by, ArrowRight: by }[event.key] ?? 0;
      const dy = { ArrowUp: -by, ArrowDown: by }[event.key] ?? 0;
      this.cursor = { x: this.cursor.x + dx, y: this.cursor.y + dy };
      this.repaint();
    },
    putAtCursor() {
      const { x, y } = this.cursor;
      this.putPin(x, y);
    },
    async putPin(x, y) {
      this.cursor = null;
      this.$refs.hint.hidden = true;
      const { width, height } = this.clip;
      if (x < 0 || y < 0 || x >= width || y >= height) {
        this.say("The pin has to be put on the picture.", true);
        return;
      }
      const frame = this.frame;
      const answer = await this.write(() => call("POST", `${this.path}/pins`, { revision: this.revision, frame, x, y, follow: true }));
      if (!answer) return;
      this.select(answer.made.subject);
      const words = { flat: "This spot is nearly flat: it may not hold. A corner or a spot with contrast is better.", edge_only: "This spot is only an edge: it may slide along it. A corner is better." };
      this.say(words[answer.choice.problem], false);
      this.$nextTick(() => this.focusOn("subject-name"));
    },

    follow(how) {
      if (!this.pin || !this.here) return;
      const directions = { both: ["forward", "backward"], forward: ["forward"], backward: ["backward"], "one on": ["forward"], "one back": ["backward"] }[how];
      const single = how.startsWith("one");
      const [pin, from] = [this.pin.id, this.frame];
      this.write(() => call("POST", `${this.path}/follow`, { revision: this.revision, pin, from, directions, single }));
      if (single) this.step(how === "one on" ? 1 : -1);
    },
    stopFollowing() {
      if (this.job) this.cancelJob(this.job.id);
    },
    async cancelJob(id) {
      try {
        await call("POST", `/api/jobs/${id}/cancel`);
      } catch (error) {
        this.say(error.message, true);
      }
    },
    escape() {
      if (this.cursor || this.placing) {
        this.cursor = null;
        this.placing = false;
        if (!this.selected && this.subjects.length) this.select(this.subjects[0].id);
        this.repaint();
      } else this.stopFollowing();
    },

    // The sample on this frame, set by hand.
    setGuide(x, y) {
      const { pin, frame, subject } = this;
      const sample = { at: { x, y }, match: 1, deviation: { x: 0, y: 0 }, state: "guide" };
      const samples = { edit: "set_samples", pin: pin.id, samples: [[frame, sample]] };
      const moved = { edit: "put_pin", subject: subject.id, pin: { ...Alpine.raw(pin), at: { x, y } } };
      const edit = frame === pin.frame ? { edit: "all", edits: [moved, samples] } : samples;
      return this.edit(`Move ${subject.name} by hand on frame ${frame}`, edit);
    },
    putHere() {
      if (!this.pin || this.here) return;
      const near = this.track?.nearest(this.frame) ?? this.pin.at;
      this.setGuide(near.x, near.y);
      this.say("The pin is on this frame now. Drag it into place, then follow on from here (F).");
    },
    nudge(event) {
      if (!this.here) return;
      const by = event.shiftKey ? 10 : 1;
      const dx = { ArrowLeft: -by, ArrowRight: by }[event.key] ?? 0;
      const dy = { ArrowUp: -by, ArrowDown: by }[event.key] ?? 0;
      this.setGuide(this.sample.x + dx, this.sample.y + dy);
    },
    placeTyped(axis, text) {
      const value = Number(text);
      if (text === "" || !Number.isFinite(value)) return;
      const place = { x: this.sample.x, y: this.sample.y, [axis]: value };
      this.setGuide(place.x, place.y);
    },
    deleteSample() {
      if (!this.sample) return;
      const edit = { edit: "set_samples", pin: this.pin.id, samples: [[this.frame, null]] };
      this.edit(`Delete the sample of ${this.subject.name} on frame ${this.frame}`, edit);
    },
    putPinSettings(change, title) {
      const pin = { ...JSON.parse(JSON.stringify(Alpine.raw(this.pin))), ...change };
      return this.edit(title, { edit: "put_pin", subject: this.subject.id, pin });
    },
    sizeTyped(kind, index, text) {
      const sizes = [...this.pin[kind]];
      sizes[index] = Math.round(Number(text));
      this.putPinSettings({ [kind]: sizes }, kind === "pattern" ? "Size of the pattern" : "Size of the search area");
    },
    thresholdTyped(text) {
      this.putPinSettings({ stop_below: Number(text) / 100 }, "Match to stop below");
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

    putLabel(change, title) {
      const attachment = { ...JSON.parse(JSON.stringify(Alpine.raw(this.attachment))), ...change };
      return this.edit(title, { edit: "put_attachment", subject: this.subject.id, attachment });
    },
    labelTyped(what, value) {
      const box = this.label.box && JSON.parse(JSON.stringify(Alpine.raw(this.label.box)));
      const change = {
        text: () => ({ text: value === "" ? null : value }),
        font: () => ({ font: value }),
        size: () => ({ size: Number(value) }),
        colour: () => ({ colour: value }),
        box: () => ({ box: value ? DEFAULT_BOX : null }),
        fill: () => ({ box: { ...box, fill: value } }),
        opacity: () => ({ box: { ...box, opacity: Number(value) / 100 } }),
        line: () => ({ line_width: value ? 2 : null }),
        line_width: () => ({ line_width: Number(value) }),
        takes: () => ({ takes: value }),
        fade_frames: () => ({ fade_frames: Math.max(0, Math.round(Number(value))) }),
      }[what]();
      this.putLabel(change, "Change the label");
    },
    offsetTyped(axis, text) {
      const offset = { ...this.offset, [axis]: Number(text) };
      this.putLabel({ placement: { offset } }, "Move the label");
    },
    placeAutomatically() {
      this.putLabel({ placement: "auto" }, "Place the label by itself");
    },
    addLabel() {
      if (!this.subject || this.label) return;
      const attachment = {
        id: crypto.randomUUID(), kind: "label", text: null, font: "sans", size: 26, colour: "#ffffff", box: DEFAULT_BOX,
        line_width: 2, line_colour: null, placement: "auto", takes: "position", fade_frames: 6,
      };
      this.edit("Add a label", { edit: "put_attachment", subject: this.subject.id, attachment });
    },
    removeLabel() {
      const edit = { edit: "remove_attachment", subject: this.subject.id, attachment: this.attachment.id };
      this.edit("Remove the label", edit);
    },
    async exportFilm(container) {
      try {
        await parts.pending;
        await call("POST", `${this.path}/exports`, { container });
        this.refreshSoon();
      } catch (error) {
        this.say(error.message, true);
      }
    },
  };
});
Alpine.start();
