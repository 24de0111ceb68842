// The samples of one pin, by frame.

import { forms } from "./settings.js";

// Whether the subject is taken to be there.
export const isPresent = (state) => forms.present.includes(state);

export class Track {
  constructor() {
    this.samples = new Map();
  }

  static fromColumns(columns) {
    const track = new Track();
    track.add(columns);
    return track;
  }

  add(columns) {
    columns.frame.forEach((frame, i) => {
      this.samples.set(frame, {
        x: columns.x[i],
        y: columns.y[i],
        match: columns.match[i],
        deviation: columns.deviation[i],
        state: columns.state[i],
        rough: columns.grasp[i] === "rough",
        peakRatio: columns.peak_ratio[i],
        backError: columns.back_error[i],
        solved: columns.solved[i],
      });
    });
    this.order = null;
    this.found = null;
    this.hash = null;
  }

  // Replaces everything from `first` to `last`.
  merge(columns, first, last) {
    for (let frame = first; frame <= last; frame++) this.samples.delete(frame);
    this.add(columns);
  }

  get(frame) {
    return this.samples.get(frame) ?? null;
  }

  // All frames, in order: drawn again and again, and sorted once.
  all() {
    this.order ??= [...this.samples.keys()].sort((a, b) => a - b);
    return this.order;
  }
  // Those on which the subject is there.
  frames() {
    this.found ??= this.all().filter((frame) => isPresent(this.samples.get(frame).state));
    return this.found;
  }

  count() {
    return this.frames().length;
  }

  // Runs of frames without a hole, as [first, last].
  spans() {
    const spans = [];
    for (const frame of this.frames()) {
      const span = spans[spans.length - 1];
      if (span && span[1] + 1 === frame) span[1] = frame;
      else spans.push([frame, frame]);
    }
    return spans;
  }

  guides() {
    return this.frames().filter((frame) => this.samples.get(frame).state === "guide");
  }

  // Frames that have a mark of their own: all states but found.
  marked() {
    return this.all().filter((frame) => this.samples.get(frame).state !== "found");
  }

  // Runs of frames of these states, as [first, last, state].
  runs(states) {
    const runs = [];
    for (const frame of this.all()) {
      const { state } = this.samples.get(frame);
      if (!states.includes(state)) continue;
      const run = runs[runs.length - 1];
      if (run && run[1] + 1 === frame && run[2] === state) run[1] = frame;
      else runs.push([frame, frame, state]);
    }
    return runs;
  }

  // Runs of frames on which only the subject is found, not the very spot, as [first, last].
  roughRuns() {
    const runs = [];
    for (const frame of this.frames()) {
      if (!this.samples.get(frame).rough) continue;
      const run = runs[runs.length - 1];
      if (run && run[1] + 1 === frame) run[1] = frame;
      else runs.push([frame, frame]);
    }
    return runs;
  }

  // Runs of frames without the subject, as [first, last, state or null].
  gaps(first, last) {
    const gaps = [];
    for (let frame = first; frame <= last; frame++) {
      const state = this.samples.get(frame)?.state ?? null;
      if (isPresent(state)) continue;
      const gap = gaps[gaps.length - 1];
      if (gap && gap[1] + 1 === frame) {
        gap[1] = frame;
        if (state === "outside") gap[2] = gap[2] ?? state;
        else gap[2] = state ?? gap[2];
      } else gaps.push([frame, frame, state]);
    }
    return gaps;
  }

  // A number made of all places and states.
  version() {
    this.hash ??= [...this.samples].reduce(
      (hash, [frame, { x, y, state }]) =>
        (Math.imul(hash, 31) + Math.round(x * 100) + Math.round(y * 100) * 7 + frame * 13 + state.length) | 0,
      17,
    );
    return this.hash >>> 0;
  }

  // Of each the samples from its frame on.
  static joined(pieces) {
    const track = new Track();
    pieces.forEach(([from, piece], i) => {
      const until = pieces[i + 1]?.[0] ?? Infinity;
      for (const [frame, sample] of piece?.samples ?? [])
        if (frame >= from && frame < until) track.samples.set(frame, sample);
    });
    return track;
  }

  // Of several pins on one subject: on each frame the first that is there, else what the first says.
  static together(tracks) {
    const track = new Track();
    const there = tracks.filter(Boolean);
    for (const one of [...there].reverse()) {
      for (const [frame, sample] of one.samples) {
        const known = track.samples.get(frame);
        if (isPresent(sample.state) || !isPresent(known?.state)) track.samples.set(frame, sample);
      }
    }
    return track;
  }

  // Whether the whole shot had its say, on all frames found.
  isSolved() {
    const found = this.frames().filter((frame) => this.samples.get(frame).state === "found");
    return found.length > 0 && found.every((frame) => this.samples.get(frame).solved);
  }

  // The sample nearest in time.
  nearest(frame) {
    const near = this.frames().reduce(
      (best, other) => (best === null || Math.abs(other - frame) < Math.abs(best - frame) ? other : best),
      null,
    );
    return near === null ? null : this.get(near);
  }
}
