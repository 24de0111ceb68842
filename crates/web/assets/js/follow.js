// Following and solving the pin of the selected subject, guides, and what is worth a look.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call } from "./api.js";
import { timeLeft } from "./time_left.js";

const STATE_WORDS = { found: "found", guide: "set by hand", hidden: "hidden", bridged: "bridged", outside: "outside" };
const REASONS = {
  look_alike: "another place looks nearly the same",
  back_error: "followed back, it does not come to where it was",
  guide_off: "set by hand beside the pattern",
  vague: "the picture does not fix the place well",
  low_match: "looks less like the pattern than elsewhere",
  hardly_seen: "hardly looks like the subject",
  sudden: "leaps",
  off_the_others: "the other pins say it is elsewhere",
  goes_hidden: "hidden from here on: is it?",
  comes_back: "seen again: is it the same?",
};
const WORK = new Set(["follow", "solve"]);
const percent = (share) => `${Math.floor(share * 100)} %`;
const counted = (count, one, many) => `${count} ${count === 1 ? one : many}`;

export const following = (parts) => ({
  doubts: [],
  noCuts: [],
  pace: null,
  nextGuide: null,
  looking: false,
  answered: new Set(),

  get threshold() {
    const least = this.pin?.stop_below ?? null;
    return least === null ? "" : Math.round(least * 100);
  },
  get job() {
    const active = (job) => WORK.has(job.kind) && job.payload.pin === this.pin?.id && !job.ended_at;
    return this.jobs.find(active) ?? null;
  },
  get working() {
    return this.jobs.some((job) => WORK.has(job.kind) && !job.ended_at);
  },
  get solveShare() {
    return this.job?.progress?.solving ?? null;
  },
  get facts() {
    const sample = this.sample;
    if (!sample) return { match: "–", speed: "–", state: "not here", x: "", y: "", sure: "–", rival: "–", back: "–" };
    const before = this.track.get(this.frame - 1);
    const speed = before ? `${Math.hypot(sample.x - before.x, sample.y - before.y).toFixed(1)} px/fr` : "–";
    const place = this.dragPlace ?? sample;
    const seen = sample.state === "found";
    return {
      match: sample.rough
        ? `${percent(sample.match)} of usual`
        : sample.state === "guide" || seen
          ? percent(sample.match)
          : "–",
      speed,
      state: sample.rough ? "rough" : STATE_WORDS[sample.state],
      x: place.x.toFixed(2),
      y: place.y.toFixed(2),
      sure: seen ? `±${sample.deviation.toFixed(2)} px` : "–",
      rival: !seen ? "–" : sample.peakRatio === null ? "none" : `${sample.peakRatio.toFixed(2)} : 1`,
      back:
        sample.backError === null || !(seen || sample.state === "guide") ? "–" : `${sample.backError.toFixed(2)} px`,
    };
  },
  get followText() {
    const track = this.track;
    if (this.solveShare !== null) {
      return `solving the whole shot … ${percent(this.solveShare)}${timeLeft(this.job.id, this.solveShare)}`;
    }
    if (this.job) return this.job.kind === "solve" ? "solving again …" : `following … ${track?.count() ?? 0} frames`;
    if (!track || track.count() < 2) return "not followed yet";
    const solved = track.isSolved() ? "solved" : "live pass only";
    return `${solved}: ${counted(track.spans().length, "span", "spans")}, ${counted(track.count(), "frame", "frames")} found`;
  },
  get endText() {
    const job = this.jobs.find((one) => WORK.has(one.kind) && one.payload.pin === this.pin?.id);
    if (!job || !job.ended_at || job.kind !== "follow") return "";
    if (job.state === "failed") return job.problem;
    if (job.state === "cancelled")
      return this.track?.isSolved()
        ? ""
        : "Stopped by hand. What was found is kept; it is the live pass, not solved over the whole shot.";
    if (job.result.solved) return "";
    const stops = job.result.ends.filter((end) => end.end.reason !== "end_of_range");
    return stops.map((end) => end.sentence).join(" ");
  },
  // First frames after what was found to be a cut, without what a person says is none.
  get cuts() {
    return this.clip.cuts.filter((cut) => !this.noCuts.includes(cut));
  },
  // The cut at which the frame in view begins or after which it ends, when the pin ends there too.
  get cutHere() {
    const track = this.track;
    if (!track || this.job) return null;
    const ends = (cut) => Boolean(track.get(cut - 1)) !== Boolean(track.get(cut));
    const cuts = this.cuts.filter((cut) => this.first < cut && cut <= this.last && ends(cut));
    return cuts.sort((a, b) => Math.abs(a - this.frame) - Math.abs(b - this.frame))[0] ?? null;
  },
  get cutText() {
    const cut = this.cutHere;
    if (cut === null) return "";
    return this.track.get(cut) ? `It begins at the cut on frame ${cut}.` : `It ends at the cut on frame ${cut}.`;
  },
  get noCutHere() {
    return this.noCuts.includes(this.frame) ? this.frame : null;
  },
  // Another picture begins there, or the same one goes on: then the pin is followed across.
  async setCut(cut, isCut) {
    const frames = isCut ? this.noCuts.filter((other) => other !== cut) : [...this.noCuts, cut];
    const said = await this.edit(`${isCut ? "A cut" : "No cut"} on frame ${cut}`, { edit: "set_no_cuts", frames });
    if (!said || isCut || !this.track) return;
    const forward = Boolean(this.track.get(cut - 1));
    const body = {
      pin: this.pin.id,
      from: forward ? cut - 1 : cut,
      directions: [forward ? "forward" : "backward"],
      single: false,
    };
    this.send("POST", "/follow", body);
  },
  get followClass() {
    return this.track && this.track.count() > 1 ? "" : "act";
  },
  get checkText() {
    if (!this.track?.isSolved()) return "after the solve";
    return this.doubts.length ? `${counted(this.doubts.length, "frame", "frames")} worth a look` : "nothing doubtful";
  },
  get doubtRows() {
    return this.doubts.map(({ frame, reason }) => ({ frame, text: REASONS[reason], key: `${frame} ${reason}` }));
  },
  get isGuide() {
    return this.sample?.state === "guide";
  },
  get guideRemovable() {
    return this.isGuide && this.frame !== this.pin.frame;
  },

  async refreshDoubts() {
    this.refreshLosses();
    const pin = this.pin;
    if (!pin || !parts.tracks.get(pin.id)?.isSolved()) {
      this.doubts = [];
      this.pace = null;
      this.nextGuide = null;
      this.keyPictures = [];
      return;
    }
    try {
      const { doubts, next_guide, pace, off_others, keys } = await call("GET", `${this.path}/pins/${pin.id}/doubts`);
      if (pin.id !== this.pin?.id) return;
      // A guide that was looked at and accepted stays accepted.
      this.doubts = doubts.filter(
        ({ frame, reason }) => reason !== "guide_off" || !this.answered.has(`${pin.id} ${frame}`),
      );
      this.nextGuide = next_guide;
      this.keyPictures = keys;
      this.refreshPatches();
      this.pace = pace;
      this.keepOff(off_others);
      this.drawTimeline();
    } catch (error) {
      if (error.word !== "offline") this.say(error.message, true);
    }
  },
  // The next pennant after this frame, round and round: the pace changes there, so a guide helps. Worked like the
  // doubts.
  nextPennant() {
    const pennants = [...new Set([...(this.pace?.changes ?? []), ...(this.picturePace?.changes ?? [])])].sort(
      (a, b) => a - b,
    );
    if (!pennants.length) return this.say("The pace is even: no frame wants a guide for it.");
    const next = pennants.find((frame) => frame > this.frame) ?? pennants[0];
    this.showBelow("pace");
    if (this.track?.count() > 1) this.lookAt(next);
    else this.goTo(next);
  },
  // The next doubtful frame after this one, round and round.
  nextDoubt() {
    if (!this.doubts.length) return;
    const frames = this.doubts.map((doubt) => doubt.frame);
    const at = this.looking ? frames.indexOf(this.frame) : -1;
    this.lookAt(frames[(at + 1) % frames.length]);
  },
  // From now on the arrow keys move the point, Enter accepts it and goes on, H says that it is hidden, until Esc.
  lookAt(frame) {
    this.goTo(frame);
    this.looking = true;
    if (parts.player.view.scale < 2) this.closeUp();
    this.repaint();
    this.patchesSoon();
  },
  stopLooking() {
    this.looking = false;
    this.dragPlace = null;
    parts.player.fit();
    this.repaint();
    this.patchesSoon();
  },
  lookNudge(event) {
    const by = event.shiftKey ? 10 : event.altKey || event.ctrlKey ? 0.1 : 1;
    const from = this.dragPlace ?? this.sample;
    if (!from) return;
    const dx = { ArrowLeft: -by, ArrowRight: by }[event.key] ?? 0;
    const dy = { ArrowUp: -by, ArrowDown: by }[event.key] ?? 0;
    this.dragPlace = { x: from.x + dx, y: from.y + dy };
    this.repaint();
    this.patchesSoon();
  },
  async lookAccept() {
    const place = this.dragPlace ?? this.sample;
    if (!place) return;
    const { frame } = this;
    this.answered.add(`${this.pin.id} ${frame}`);
    const done = this.setGuide(place.x, place.y);
    this.goOnLooking(frame);
    await done;
  },
  async lookHidden() {
    const { frame } = this;
    const run = this.track?.gaps(this.first, this.last).find(([first, last]) => first <= frame && frame <= last);
    const done = this.changeRange(run ? { first: run[0], last: run[1] } : { first: frame, last: frame }, {
      do: "hide",
    });
    this.goOnLooking(frame);
    await done;
  },
  goOnLooking(frame) {
    this.dragPlace = null;
    const rest = this.doubts.filter((doubt) => Math.abs(doubt.frame - frame) > 2);
    this.doubts = rest;
    if (rest.length) this.lookAt(rest[0].frame);
    else if (this.lower === "pace") this.nextPennant();
    else {
      this.stopLooking();
      this.say("Nothing else was worth a look. Play it, held still on the pin, to be sure.");
    }
  },
  get lookText() {
    return this.looking
      ? "Arrows move the point by 1 px, with Shift by 10, with Alt by 0.1. Enter: it is right, next. H: hidden here, next. Esc: leave."
      : "";
  },

  // How work on a pin ended is said once, where it happened.
  reportEnds() {
    const told = (this.endsTold ??= new Set(this.jobs.filter((job) => job.ended_at).map((job) => job.id)));
    for (const job of this.jobs) {
      if (!job.ended_at || told.has(job.id)) continue;
      told.add(job.id);
      if (job.state === "failed") this.say(job.problem, true);
      else if (job.kind === "follow" && job.result) {
        if (job.payload.pin === this.pin?.id && !job.payload.single) this.tellLosses = true;
        for (const end of job.result.ends) if (end.end.reason === "flat_pattern") this.say(end.sentence, true);
      }
    }
  },

  follow(how) {
    if (!this.pin || !this.here) return;
    const directions = {
      both: ["forward", "backward"],
      forward: ["forward"],
      backward: ["backward"],
      "one on": ["forward"],
      "one back": ["backward"],
    }[how];
    const single = how.startsWith("one");
    const [pin, from] = [this.pin.id, this.frame];
    this.send("POST", "/follow", { pin, from, directions, single });
    if (single) this.step(how === "one on" ? 1 : -1);
  },
  // Every pin from where it was picked; they are worked on side by side.
  followAll() {
    for (const { pins } of this.subjects) {
      for (const { id, frame } of pins) {
        const body = { pin: id, from: frame, directions: ["forward", "backward"], single: false };
        this.send("POST", "/follow", body);
      }
    }
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

  // A place on this frame set by hand; what depends on it is solved anew.
  setGuide(x, y) {
    const { pin, frame } = this;
    return this.send("POST", "/guides", { pin: pin.id, frame, at: { x, y } });
  },
  acceptHere() {
    if (this.here && !this.isGuide) this.setGuide(this.sample.x, this.sample.y);
  },
  removeGuide() {
    if (!this.guideRemovable) return;
    const { pin, frame } = this;
    this.send("POST", "/guides", { pin: pin.id, frame, at: null });
  },
  // The next click says where the pin is on this frame; or arrow keys and Enter.
  putHere() {
    if (!this.pin) return;
    if (this.chosen) return this.beginByHand();
    if (this.here) return;
    this.placingHere = true;
    const near = this.sample ?? this.track?.nearest(this.frame) ?? this.pin.at;
    const inside = (value, size) => Math.min(size - 40, Math.max(40, value));
    this.cursor = { x: inside(near.x, this.clip.width), y: inside(near.y, this.clip.height) };
    this.$refs.picture.focus();
    this.repaint();
  },
  nudge(event) {
    if (!this.here) return;
    const by = event.shiftKey ? 10 : event.ctrlKey ? 0.1 : 1;
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
    if (this.lower === "curves" && this.removeKeys()) return;
    if (this.chosen) return this.deleteRange();
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
    this.putPinSettings({ stop_below: text === "" ? null : Number(text) / 100 }, "Match to stop below");
  },
  settingChosen(which, value) {
    this.putPinSettings({ [which]: value }, `How ${this.subject.name} is followed`);
    this.say("The setting counts from the next time it is followed.", false, "Follow now", () => this.follow("both"));
  },
});
