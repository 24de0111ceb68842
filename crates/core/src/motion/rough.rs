//! Pins that are known roughly on some frames: taken as they are known, or carried by the others.

use super::complete::{Seen, carried};
use crate::geometry::Point;
use crate::track::{Covariance, Grasp, MotionModel, Sample};

/// So many pins that are known exactly can carry the others: they fix all but the perspective.
const CARRIERS: usize = 3;
/// Share of a drift that goes on from frame to frame: a guess should not run away.
const KEPT: f64 = 0.93;
/// Frames over which it is tried how well they do.
const TRIED: usize = 24;

/// Where each pin is on each frame, `samples[pin][frame]` of those that are there. On a stretch on which a pin is known
/// roughly it is where the others carry it, if they carried it better than that over as long a stretch beside it.
pub(super) fn seen(samples: &[Vec<Option<Sample>>], most: MotionModel) -> Vec<Vec<Seen>> {
    let as_seen = |sample: &Option<Sample>| sample.map(|sample| (sample.at, sample.covariance));
    let is_exact = |sample: &Sample| sample.grasp == Grasp::Exact;
    let only_exact = |pin: &Vec<Option<Sample>>| pin.iter().map(|sample| as_seen(&sample.filter(is_exact))).collect();
    let exact: Vec<Vec<Seen>> = samples.iter().map(only_exact).collect();
    let mut seen: Vec<Vec<Seen>> = samples.iter().map(|pin| pin.iter().map(as_seen).collect()).collect();
    for pin in 0..samples.len() {
        let is_rough = |at: usize| samples[pin][at].is_some() && exact[pin][at].is_none();
        let mut at = 0;
        while at < samples[pin].len() {
            let end = (at..samples[pin].len()).find(|&at| !is_rough(at)).unwrap_or(samples[pin].len());
            if at < end {
                let known = seen[pin][at..end].iter().flatten().map(|(_, covariance)| covariance.worst());
                let carry = Carry { exact: &exact, pin, most };
                let better =
                    carry.over(at, end).filter(|(_, deviation)| known.fold(f64::INFINITY, f64::min) > *deviation);
                if let Some((places, deviation)) = better {
                    let covariance = Covariance::new([deviation * deviation, 0.0, deviation * deviation]);
                    places.into_iter().for_each(|(frame, place)| seen[pin][frame] = Some((place, covariance)));
                }
            }
            at = end.max(at + 1);
        }
    }
    seen
}

/// One pin, carried by those that are known exactly.
struct Carry<'a> {
    exact: &'a [Vec<Seen>],
    pin: usize,
    most: MotionModel,
}

impl Carry<'_> {
    /// Where it is from `first` up to before `end`, and how far that may be off.
    fn over(&self, first: usize, end: usize) -> Option<(Vec<(usize, Point)>, f64)> {
        let others =
            |at: usize| (0..self.exact.len()).filter(|&pin| pin != self.pin && self.exact[pin][at].is_some()).count();
        if (first..end).any(|at| others(at) < CARRIERS) {
            return None;
        }
        let forward = first.checked_sub(1).and_then(|edge| self.from(edge, end, 1));
        forward.or_else(|| self.from(end, first, -1))
    }

    /// Goes on from `edge`, where it is known exactly, up to before `end` or down to it.
    ///
    /// A change of perspective, which three pins do not show, makes the carried place drift: what it was over the
    /// stretch before is carried on, less and less. How well that does is tried on the two stretches before, where the
    /// truth is known.
    fn from(&self, edge: usize, end: usize, step: isize) -> Option<(Vec<(usize, Point)>, f64)> {
        let frames: Vec<usize> = if step > 0 { (edge + 1..end).collect() } else { (end..edge).rev().collect() };
        let length = frames.len().min(TRIED);
        let before = |count: usize| edge.checked_add_signed(-step * (count * length) as isize);
        let (middle, far) = (before(1)?, before(2)?);
        let drift = self.miss(middle, edge)?;
        let drift_before = self.miss(far, middle)?;
        let goes_on = |frame: usize| {
            let frames = frame.abs_diff(edge) as f64;
            (1.0 - KEPT.powf(frames)) / (1.0 - KEPT) / length as f64
        };
        let carried = carried(self.exact, self.pin, edge, end, self.most).into_iter();
        let places = carried.map(|(frame, place)| (frame, place + drift * goes_on(frame))).collect();
        // What is not seen of a change of perspective grows with the square of the time.
        let off = (drift - drift_before * goes_on(middle)).length() * (frames.len() as f64 / length as f64).powi(2);
        Some((places, off))
    }

    /// From where it is carried to, to where it is.
    fn miss(&self, from: usize, to: usize) -> Option<Point> {
        let (there, _) = (*self.exact[self.pin].get(to)?)?;
        (*self.exact[self.pin].get(from)?)?;
        let beyond = if to > from { to + 1 } else { to };
        let carried = carried(self.exact, self.pin, from, beyond, self.most);
        let (_, place) = carried.into_iter().find(|(frame, _)| *frame == to)?;
        Some(there - place)
    }
}
