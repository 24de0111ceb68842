// One project: films come in, shots are opened.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call, listen, throttled } from "./api.js";
import { arrivals, filesOf } from "./coming_in.js";
import { describeJob } from "./jobs.js";
import { members } from "./members.js";
import { timeLeft } from "./time_left.js";

const size = (bytes) =>
  bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${Math.max(0.1, bytes / 1e6).toFixed(1)} MB`;

// A tile for each shot of a film; one for a film without any.
const describeAll = (clip) => (clip.shots.length ? clip.shots : [null]).map((shot) => describe(clip, shot));

const cutsInside = (cuts) => (cuts === 0 ? "" : cuts === 1 ? " · 1 cut inside" : ` · ${cuts} cuts inside`);

function describe(clip, shot) {
  const people = shot ? shot.subjects : 0;
  const isPart = shot && shot.range.last - shot.range.first + 1 < clip.frames;
  const rate = Math.round(clip.rate * 100) / 100;
  return {
    id: clip.id,
    key: shot?.id ?? clip.id,
    state: clip.state,
    // Of several shots of one film only the one is taken away.
    single: clip.shots.length < 2,
    title: shot ? shot.name : clip.name,
    href: shot && clip.state !== "failed" ? `/shots/${shot.id}` : undefined,
    picture: `/clips/${clip.id}/frames/${shot?.range.first ?? 0}.jpg`,
    facts: `${clip.width} × ${clip.height} · ${rate} fps · ${clip.frames} frames · ${clip.seconds.toFixed(1)} s · ${clip.codec}`,
    work:
      clip.state === "preparing"
        ? `Preparing: ${clip.prepared} of ${clip.frames} frames${timeLeft(clip.id, clip.prepared / clip.frames)}`
        : (people === 0 ? "Untouched" : people === 1 ? "1 subject" : `${people} subjects`) +
          (isPart ? ` · frames ${shot.range.first} to ${shot.range.last}` : cutsInside(clip.cuts)),
    splits: clip.shots.length === 1 && clip.cuts > 0 && clip.state === "ready",
    share: clip.frames ? clip.prepared / clip.frames : 0,
    shot: shot?.id,
    inFilm: shot?.in_film ?? false,
    remarks: clip.remarks,
    problem: clip.problem ?? "",
  };
}

const describePicture = ({ id, name, width, height }) => ({
  id,
  name,
  src: `/pictures/${id}`,
  size: `${width} × ${height}`,
  removal: `Remove ${name}`,
});

// A film that is being made elsewhere.
const describeArriving = ({ name, share }) => ({
  name,
  share,
  begun: share > 0,
  text: share > 0 ? `Being made: ${Math.floor(share * 100)} %${timeLeft(name, share)}` : "Its turn comes",
});

Alpine.data("members", members);
Alpine.data("project", () => ({
  mayEdit: document.body.dataset.role !== "viewer",
  name: "",
  draft: "",
  renaming: false,
  over: false,
  loaded: false,
  problem: "",
  away: false,
  clips: [],
  films: [],
  pictures: [],
  arriving: [],
  uploads: [],
  limitText: "",
  rate: "25",
  id: "",
  limit: 0,

  init() {
    this.id = this.$el.dataset.project;
    this.limit = Number(this.$el.dataset.limit);
    this.limitText = size(this.limit);
    this.name = this.$el.querySelector("h1").textContent;
    const refresh = throttled(250, () => this.refresh());
    listen({ project: this.id }, refresh, (open) => open && refresh());
    this.refresh();
  },

  async refresh() {
    try {
      const state = await call("GET", `/api/projects/${this.id}`);
      this.name = state.project.name;
      // In the order of the film; what has no shot comes last.
      const place = (clip) => (clip.shot ? state.order.indexOf(clip.shot) : Infinity);
      this.clips = state.clips.flatMap(describeAll).sort((a, b) => place(a) - place(b));
      this.films = state.films.map(describeJob);
      this.pictures = state.pictures.map(describePicture);
      this.arriving = state.arriving.map(describeArriving);
      this.loaded = true;
      // What was refused stays to be read; that the server was away does not.
      if (this.away) this.problem = "";
      this.away = false;
    } catch (error) {
      this.problem = error.message;
      this.away = true;
    }
  },

  get filmText() {
    const count = this.clips.filter((clip) => clip.inFilm).length;
    return count === 1 ? "1 shot, with its sound" : `${count} shots one after the other, with their sound`;
  },
  get last() {
    return this.clips.length - 1;
  },
  arrange(clips) {
    this.clips = clips;
    const shots = clips.filter((clip) => clip.shot).map((clip) => [clip.shot, clip.inFilm]);
    this.change("POST", `/api/projects/${this.id}/order`, { shots });
  },
  // Earlier or later in the film by one.
  shift(index, by) {
    const clips = [...this.clips];
    const [moved] = clips.splice(index, 1);
    clips.splice(index + by, 0, moved);
    this.arrange(clips);
  },
  setInFilm(index, inFilm) {
    this.arrange(this.clips.map((clip, i) => (i === index ? { ...clip, inFilm } : clip)));
  },
  makeFilm(container) {
    this.change("POST", `/api/projects/${this.id}/film`, { container });
  },
  cancelJob(id) {
    this.change("POST", `/api/jobs/${id}/cancel`, {});
  },
  removeFilm(film) {
    if (film.file && !window.confirm(`Delete “${film.title}”? It can be made again.`)) return;
    this.change("DELETE", `/api/exports/${film.id}`);
  },
  removePicture(picture) {
    this.change("DELETE", `/api/pictures/${picture.id}`);
  },
  async change(method, path, body) {
    this.problem = "";
    try {
      await call(method, path, body);
    } catch (error) {
      this.problem = error.message;
      // What was pressed may be far below.
      this.$nextTick(() => this.$refs.problem.scrollIntoView({ block: "nearest" }));
    }
    this.refresh();
  },

  startRename() {
    this.draft = this.name;
    this.renaming = true;
    this.$nextTick(() => this.$refs.name.focus());
  },

  async rename() {
    try {
      await call("PATCH", `/api/projects/${this.id}`, { name: this.draft });
      this.name = this.draft;
      this.renaming = false;
    } catch (error) {
      this.problem = error.message;
    }
  },

  chosen(event) {
    this.take([...event.target.files]);
    event.target.value = "";
  },

  dropped(event) {
    this.over = false;
    filesOf(event.dataTransfer).then((files) => this.take(files));
  },

  async take(files) {
    const all = arrivals(files);
    for (const one of all) await this.upload(one, all.length === 1);
  },

  // XMLHttpRequest and not fetch: only it tells how much was sent.
  upload({ name, body, numbered }, openWhenDone) {
    const key = `${name}-${performance.now()}`;
    const request = new XMLHttpRequest();
    this.uploads.push({ key, name, share: 0, text: size(body.size), problem: "", request });
    const upload = this.uploads[this.uploads.length - 1];
    if (body.size > this.limit) {
      upload.problem = `This file has ${size(body.size)}; at most ${this.limitText} are taken in. Cut it to the shots you need first.`;
      return Promise.resolve();
    }
    return new Promise((resolve) => {
      const fail = (message) => {
        upload.problem = message;
        resolve();
      };
      request.upload.onprogress = (event) => {
        upload.share = event.loaded / event.total;
        upload.text =
          event.loaded < event.total
            ? `${size(event.loaded)} of ${size(event.total)}${timeLeft(key, upload.share)}`
            : "Looking at it …";
      };
      request.onerror = () => fail("The upload broke off; nothing was kept. Send it again.");
      request.onabort = () => resolve();
      request.onload = () => {
        let answer = {};
        try {
          answer = JSON.parse(request.responseText);
        } catch {
          answer = {};
        }
        if (request.status !== 201) return fail(answer.message ?? `The server answered ${request.status}.`);
        this.uploads = this.uploads.filter((other) => other.key !== key);
        if (openWhenDone) window.location.assign(`/shots/${answer.shot}`);
        else this.refresh();
        resolve();
      };
      const query = new URLSearchParams(numbered ? { name, rate: this.rate } : { name });
      request.open("PUT", `/api/projects/${this.id}/clips?${query}`);
      request.send(body);
    });
  },

  stopUpload(upload) {
    Alpine.raw(upload).request.abort();
    this.uploads = this.uploads.filter((other) => other.key !== upload.key);
  },

  prepareAgain(clip) {
    this.change("POST", `/api/clips/${clip.id}/prepare`, {});
  },

  // A shot for each part between its cuts.
  splitAtCuts(clip) {
    this.change("POST", `/api/shots/${clip.shot}/parts`, {});
  },

  remove(clip) {
    if (!window.confirm(`Remove “${clip.title}” with everything made of it? This cannot be undone.`)) return;
    this.change("DELETE", clip.single ? `/api/clips/${clip.id}` : `/api/shots/${clip.shot}`);
  },
}));
Alpine.start();
