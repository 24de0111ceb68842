//! A recipe run over the samples of a subject.

use super::ease::Easing;
use super::fit::fit_curve;
use super::keys::{Curve, PathKeyframe};
use super::outliers::jumps;
use super::recipe::{HandKey, Recipe, Step, StepKind};
use super::reduce::reduce;
use super::savitzky_golay::savitzky_golay;
use super::smooth::smoothed;
use super::{Path, Run};
use crate::geometry::Point;
use crate::time::{Frame, FrameRange};
use crate::track::{SampleState, Track};

/// Error of a place that the solve does not know of, in pixels. Strong compression adds up to 0.09; more here would
/// smooth away real motion of clean film, where the solve knows its errors well (docs/benchmarks.md).
const FLOOR: f64 = 0.04;
/// Standard deviation that a bridged place counts with: it is a guess.
const BRIDGED: f64 = 2.0;
/// And a guide: it is right, so it weighs hundreds of times as much as the surest find.
const GUIDE: f64 = 0.003;
/// Frames over which a step on a range sets in and ends: a quarter of a second, so that its edge is no jump.
const BLEND: f64 = 6.0;
/// Share of the distance pulled back to that is left for the keyframes to stray.
const LEFT_TO_KEYS: f64 = 0.25;

/// The path that the recipe makes of the samples.
pub fn clean(track: &Track, cleaning: &Recipe) -> Path {
    let run = |span: FrameRange| {
        let mut work = Work::new(track, span);
        cleaning.steps.iter().filter(|step| step.on).for_each(|step| work.perform(step));
        work.set_by_hand(&cleaning.hand_keys);
        Run { first: span.first, places: work.places, curve: work.curve }
    };
    Path { runs: track.spans().into_iter().map(run).collect() }
}

/// How keyframes are made of places.
#[derive(Clone, Copy)]
enum Making {
    Straight(f64),
    Curve(f64),
}

impl Making {
    fn no_further_than(self, most: f64) -> Self {
        match self {
            Self::Straight(tolerance) => Self::Straight(tolerance.min(most)),
            Self::Curve(tolerance) => Self::Curve(tolerance.min(most)),
        }
    }
}

/// A span on its way through the recipe.
struct Work {
    span: FrameRange,
    raw: Vec<Point>,
    /// Variance across and down.
    variances: Vec<Point>,
    guides: Vec<bool>,
    /// Taken out as outliers.
    out: Vec<bool>,
    places: Vec<Point>,
    curve: Option<Curve>,
    /// How the keyframes of each range were made, in order.
    makings: Vec<(FrameRange, Making)>,
}

impl Work {
    fn new(track: &Track, span: FrameRange) -> Self {
        let samples: Vec<_> = span.frames().filter_map(|frame| track.get(frame)).collect();
        let raw: Vec<Point> = samples.iter().map(|sample| sample.at).collect();
        let squared = |deviation: f64| deviation * deviation;
        let variance = |sample: &crate::track::Sample| match sample.state {
            SampleState::Guide => Point::new(squared(GUIDE), squared(GUIDE)),
            SampleState::Bridged => Point::new(squared(BRIDGED), squared(BRIDGED)),
            _ => {
                let deviation = sample.covariance.deviation();
                Point::new(squared(deviation.x) + squared(FLOOR), squared(deviation.y) + squared(FLOOR))
            }
        };
        Self {
            span,
            variances: samples.iter().map(variance).collect(),
            guides: samples.iter().map(|sample| sample.state == SampleState::Guide).collect(),
            out: vec![false; raw.len()],
            places: raw.clone(),
            raw,
            curve: None,
            makings: Vec::new(),
        }
    }

    fn perform(&mut self, step: &Step) {
        let Some(range) = common(self.span, step.range) else { return };
        match step.kind {
            StepKind::Outliers { window, sigmas, least } => self.take_out(range, window, sigmas, least),
            StepKind::Smooth { strength } => self.smooth(range, strength),
            StepKind::Polynomial { window, degree } => {
                let half = window as usize / 2;
                let axis = |values: Vec<f64>| savitzky_golay(&values, half, degree as usize);
                let new = join(axis(self.axis(|at| at.x)), axis(self.axis(|at| at.y)));
                self.blend(range, &new);
            }
            StepKind::MaxDeviation { distance } => self.pull_back(range, distance),
            StepKind::Straight { tolerance } => self.make_keys(range, Making::Straight(tolerance)),
            StepKind::Curve { tolerance } => self.make_keys(range, Making::Curve(tolerance)),
            StepKind::LongestStretch { frames } => self.no_stretch_longer(range, frames),
            StepKind::EaseIn { frames } if range.first == self.span.first => self.ease(frames, true),
            StepKind::EaseOut { frames } if range.last == self.span.last => self.ease(frames, false),
            StepKind::EaseIn { .. } | StepKind::EaseOut { .. } => {}
            StepKind::DropLast { count } if range.last == self.span.last => self.drop_last(count as usize),
            StepKind::DropLast { .. } => {}
        }
    }

    fn index(&self, frame: Frame) -> usize {
        self.span.first.until(frame) as usize
    }

    fn axis(&self, of: impl Fn(Point) -> f64) -> Vec<f64> {
        self.places.iter().map(|at| of(*at)).collect()
    }

    fn take_out(&mut self, range: FrameRange, window: u32, sigmas: f64, least: f64) {
        let marked = jumps(&self.places, window as usize / 2, sigmas, least);
        let slice = self.index(range.first)..=self.index(range.last);
        for ((out, marked), guide) in
            self.out.iter_mut().zip(marked).zip(&self.guides).skip(*slice.start()).take(slice.count())
        {
            *out |= marked && !guide;
        }
        let kept: Vec<usize> = (0..self.places.len()).filter(|&i| !self.out[i]).collect();
        for pair in kept.windows(2) {
            let (from, to) = (self.places[pair[0]], self.places[pair[1]]);
            for i in pair[0] + 1..pair[1] {
                self.places[i] = from + (to - from) * ((i - pair[0]) as f64 / (pair[1] - pair[0]) as f64);
            }
        }
        self.remake_keys();
    }

    fn smooth(&mut self, range: FrameRange, strength: f64) {
        let axis = |of: fn(Point) -> f64| {
            let values: Vec<Option<f64>> =
                self.places.iter().zip(&self.out).map(|(at, out)| (!out).then(|| of(*at))).collect();
            let variances: Vec<f64> = self.variances.iter().map(|variance| of(*variance)).collect();
            smoothed(&values, &variances, strength)
        };
        let new = join(axis(|at| at.x), axis(|at| at.y));
        self.blend(range, &new);
    }

    /// Takes new places within a range, set in gradually where the range ends inside the span.
    fn blend(&mut self, range: FrameRange, new: &[Point]) {
        for frame in range.frames() {
            let i = self.index(frame);
            let inward = |at_edge: bool, frames: i64| {
                if at_edge { 1.0 } else { ((frames + 1) as f64 / (BLEND + 1.0)).min(1.0) }
            };
            let share = inward(range.first == self.span.first, range.first.until(frame))
                .min(inward(range.last == self.span.last, frame.until(range.last)));
            self.places[i] = self.places[i] + (new[i] - self.places[i]) * share;
        }
        self.remake_keys();
    }

    fn pull_back(&mut self, range: FrameRange, distance: f64) {
        let for_keys = if self.curve.is_some() { distance * LEFT_TO_KEYS } else { 0.0 };
        let most = distance - for_keys;
        let mut strayed = false;
        for i in self.index(range.first)..=self.index(range.last) {
            let away = self.places[i] - self.raw[i];
            if !self.out[i] && away.length() > most {
                strayed |= away.length() > distance;
                self.places[i] = self.raw[i] + away * (most / away.length());
            }
        }
        if strayed || self.curve.is_none() {
            self.makings.iter_mut().for_each(|(_, making)| *making = making.no_further_than(for_keys));
            self.remake_keys();
        } else {
            // The keyframes were near enough already.
            self.follow_curve();
        }
    }

    /// The places are those of the curve, where there is one.
    fn follow_curve(&mut self) {
        if let Some(curve) = &self.curve {
            self.places = self.span.frames().map(|frame| curve.at(f64::from(frame.0))).collect();
        }
    }

    fn make_keys(&mut self, range: FrameRange, making: Making) {
        self.makings.retain(|(other, _)| !(range.first <= other.first && other.last <= range.last));
        self.makings.push((range, making));
        self.put_keys(range, making);
        self.follow_curve();
    }

    fn remake_keys(&mut self) {
        if self.makings.is_empty() {
            return;
        }
        self.curve = None;
        for (range, making) in self.makings.clone() {
            self.put_keys(range, making);
        }
        self.follow_curve();
    }

    /// Replaces the keys of a range; before the first keys are made there is one on every frame.
    fn put_keys(&mut self, range: FrameRange, making: Making) {
        let slice = self.index(range.first)..=self.index(range.last);
        let new: Vec<PathKeyframe> = match making {
            Making::Curve(tolerance) => fit_curve(range.first, &self.places[slice], tolerance).keys().to_vec(),
            Making::Straight(tolerance) => {
                let places = &self.places[slice];
                let kept = reduce(places, &vec![false; places.len()], tolerance);
                let frame = |i: usize| Frame(range.first.0 + i as u32);
                kept.into_iter().map(|i| PathKeyframe::straight(frame(i), places[i])).collect()
            }
        };
        let old: Vec<PathKeyframe> = match &self.curve {
            Some(curve) => curve.keys().to_vec(),
            None => {
                self.span.frames().zip(&self.places).map(|(frame, at)| PathKeyframe::straight(frame, *at)).collect()
            }
        };
        let outside = old.into_iter().filter(|key| !range.contains(key.frame));
        self.curve = Curve::new(outside.chain(new));
    }

    fn no_stretch_longer(&mut self, range: FrameRange, most: u32) {
        let Some(curve) = &mut self.curve else { return };
        let gaps: Vec<(Frame, Frame)> = curve.keys().windows(2).map(|pair| (pair[0].frame, pair[1].frame)).collect();
        for (from, to) in gaps {
            let length = from.until(to) as u32;
            let pieces = length.div_ceil(most);
            let frames = (1..pieces).map(|n| Frame(from.0 + (length * n + pieces / 2) / pieces));
            frames.filter(|frame| range.contains(*frame)).for_each(|frame| curve.split_at(frame));
        }
    }

    /// The same way at another pace over the first or the last frames.
    fn ease(&mut self, frames: u32, at_start: bool) {
        let count = self.places.len();
        let length = (frames as usize).min(count - 1);
        if length == 0 {
            return;
        }
        let way = self.places.clone();
        let at = |place: f64| {
            let before = (place.floor() as usize).min(count - 1);
            let after = (before + 1).min(count - 1);
            way[before] + (way[after] - way[before]) * (place - before as f64)
        };
        for n in 0..=length {
            let progress = Easing::TO_REST.at(n as f64 / length as f64) * length as f64;
            if at_start {
                self.places[length - n] = at(length as f64 - progress);
            } else {
                self.places[count - 1 - length + n] = at((count - 1 - length) as f64 + progress);
            }
        }
        self.remake_keys();
    }

    fn drop_last(&mut self, count: usize) {
        let Some(curve) = &self.curve else { return };
        let keys = curve.keys();
        let Some((last, others)) = keys.split_last() else { return };
        let kept = &others[..others.len().saturating_sub(count)];
        self.curve = Curve::new(kept.iter().chain([last]).copied());
        self.follow_curve();
    }

    fn set_by_hand(&mut self, hand: &[HandKey]) {
        let mine: Vec<&HandKey> = hand.iter().filter(|hand| self.span.contains(hand.frame)).collect();
        if mine.is_empty() {
            return;
        }
        let every =
            || self.span.frames().zip(&self.places).map(|(frame, at)| PathKeyframe::straight(frame, *at)).collect();
        let mut keys: Vec<PathKeyframe> = self.curve.as_ref().map_or_else(every, |curve| curve.keys().to_vec());
        for hand in mine {
            keys.retain(|key| key.frame != hand.frame);
            keys.extend(hand.key);
        }
        // With every key taken away there is no curve to follow: the places stay.
        if let Some(curve) = Curve::new(keys) {
            self.curve = Some(curve);
            self.follow_curve();
        }
    }
}

fn join(x: Vec<f64>, y: Vec<f64>) -> Vec<Point> {
    x.into_iter().zip(y).map(|(x, y)| Point::new(x, y)).collect()
}

/// The frames of a span that a step is for.
fn common(span: FrameRange, range: Option<FrameRange>) -> Option<FrameRange> {
    let range = range.unwrap_or(span);
    FrameRange::new(span.first.max(range.first), span.last.min(range.last))
}
