// Following and solving the pin of the selected subject, guides, and what is worth a look.
import Alpine from "../vendor/alpine-csp.esm.js";
import { call } from "./api.js";
import { withoutCorners } from "./areas.js";

const STATE_WORDS = { found: "found", guide: "set by hand", hidden: "hidden", bridged: "bridged", outside: "outside" };
export const WORK = new Set(["follow", "solve"]);
export const percent = (share) => `${Math.floor(share * 100)} %`;
export const counted = (count, one, many) => `${count} ${count === 1 ? one : many}`;

export const following = (parts) => ({
  every: 1, // A quick look is at every so many frames only.
  doubts: [],
  noCuts: [],
  pace: null,
  nextGuide: null,
  looking: false,
  answered: new Set(),
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
  // First frames after what was found to be a cut, without what a person says is none.
  get cuts() {
    return this.clip.cuts.filter((cut) => !this.noCuts.includes(cut));
  },
  get isGuide() {
    return this.sample?.state === "guide";
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
    const quick = single || this.area || this.every === 1 ? {} : { every: this.every, within: this.chosen };
    this.send("POST", "/follow", { pin, from, directions, single, ...quick });
    if (single) this.step(how === "one on" ? 1 : -1);
  },
  // Every pin from where it was picked; they are worked on side by side.
  followAll() {
    for (const subject of this.subjects) {
      for (const { id, frame } of withoutCorners(subject)) {
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
  setGuide(x, y, frame = this.frame) {
    return this.send("POST", "/guides", { pin: this.pin.id, frame, at: { x, y } });
  },
  acceptHere() {
    if (this.here && !this.isGuide) this.setGuide(this.sample.x, this.sample.y);
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
  deleteSample() {
    if (this.lower === "curves" && this.removeKeys()) return;
    if (this.chosen) return this.deleteRange();
    if (!this.sample) return;
    if (this.area) return this.deleteRange();
    const edit = { edit: "set_samples", pin: this.pin.id, samples: [[this.frame, null]] };
    this.edit(`Delete the sample of ${this.subject.name} on frame ${this.frame}`, edit);
  },

  putPinSettings(change, title) {
    const pin = { ...JSON.parse(JSON.stringify(Alpine.raw(this.pin))), ...change };
    return this.edit(title, { edit: "put_pin", subject: this.subject.id, pin });
  },
});
