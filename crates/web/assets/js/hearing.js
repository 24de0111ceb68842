// What the server says: the shot as it is, its samples as they come, and the news of it.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call } from "./api.js";
import { Track } from "./track.js";

export const hearing = (parts) => ({
  samplesSeen: 0,
  sceneSeen: 0,
  offline: false,
  picturePace: null,

  // What happened before the first moment of it, or while it was broken, nobody tells.
  connected(open) {
    if (open) this.refreshSoon();
    this.offline = !open;
  },

  notesCame() {
    this.drawTimeline();
  },

  told(event) {
    if (event.event === "notes") this.loadNotes();
    else if (event.event === "here") this.heard(event);
    else if (event.event === "samples") this.mergeSamples(event);
    else if (event.event === "clip") this.clipMoved(event);
    else if (event.event === "shot" && event.revision === this.revision) this.sceneSoon();
    else if (event.event === "project") return;
    else if (event.event !== "job" || !this.jobMoved(event)) this.refreshSoon();
  },

  // A job that only moved on is told with the news; whether that was all.
  jobMoved({ job: id, state, progress }) {
    const job = this.jobs.find((one) => one.id === id);
    if (!job || job.state !== state || !progress) return false;
    job.progress = progress;
    return true;
  },

  async refresh() {
    let state;
    try {
      state = await call("GET", `${this.path}${this.loaded ? `?known=${parts.samplesVersion}` : ""}`);
    } catch (error) {
      this.say(error.message, true);
      return false;
    }
    const opening = !this.loaded;
    parts.session.revision = state.shot.revision;
    this.clip = { ...state.clip, times: state.clip.times ?? Alpine.raw(this.clip).times };
    this.colours = state.colours;
    this.first = state.shot.range.first;
    this.last = state.shot.range.last;
    this.subjects = state.subjects;
    this.noCuts = state.no_cuts;
    this.undoTitle = state.undo;
    this.undoBy = state.undo_by;
    this.redoTitle = state.redo;
    this.jobs = state.jobs;
    this.recipes = state.recipes;
    this.looks = state.looks;
    this.takeTracks(state);
    if (opening || !this.subjects.some((one) => one.id === this.selected)) {
      this.selected = this.subjects.length && !this.placing ? this.subjects[0].id : null;
    }
    this.loaded = true;
    const range = { first: this.first, last: this.last };
    if (opening) parts.player.open(Alpine.raw(this.clip), range);
    else Object.assign(parts.player, { clip: Alpine.raw(this.clip), range });
    if (opening) state.clip.remarks.forEach((remark) => this.say(remark));
    if (state.clip.problem) this.say(state.clip.problem, true);
    this.reportEnds();
    this.refreshPicturePace();
    if (!this.working) this.refreshDoubts();
    this.repaint();
    this.sceneSoon();
    this.pathSoon();
    this.patchesSoon();
    return true;
  },

  // Samples come only when they are others than those that are here.
  takeTracks({ tracks, shot }) {
    if (!tracks) return;
    parts.tracks = new Map(tracks.map((columns) => [columns.pin, Track.fromColumns(columns)]));
    parts.samplesVersion = shot.samples_version;
    this.samplesSeen++;
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
      this.pathSoon();
    } catch {
      this.refreshSoon();
    }
  },

  sceneCame() {
    parts.overlay.scene.shift = null;
    parts.nets.forget();
    this.sceneSeen++;
    this.repaint();
  },

  async refreshScene() {
    try {
      await parts.overlay.scene.windows.renew(Math.max(this.first, parts.player.shown));
    } catch (error) {
      if (error.word !== "offline") this.say(error.message, true);
    }
  },

  // Once for a clip, as soon as it is prepared.
  async refreshPicturePace() {
    if (this.picturePace || this.clip.state !== "ready") return;
    try {
      this.picturePace = await call("GET", `/api/clips/${this.clip.id}/pace`);
      this.drawTimeline();
    } catch (error) {
      if (error.word !== "offline") this.say(error.message, true);
    }
  },

  clipMoved({ clip, prepared }) {
    if (clip !== this.clip.id) return;
    this.clip.prepared = prepared;
    if (prepared > this.last) this.refreshSoon();
    this.drawTimeline();
  },
});
