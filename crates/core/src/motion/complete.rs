//! Pins that are not always there, made whole, so that one that drops out or comes in does not make the motion jump.

use super::fit::fit_most;
use super::least_squares::Match;
use crate::geometry::Point;
use crate::track::{Covariance, MotionModel};

/// Where a pin is on a frame, and how sure that is.
pub(super) type Seen = Option<(Point, Covariance)>;

/// The places of every pin on every frame. `seen[pin][frame]`; on each frame at least one pin is there.
///
/// A pin that is away is carried by the motion of the others: from where it was last, and back from where it is next,
/// one faded into the other. On the frames where it goes and comes back the carried places are the seen ones.
pub(super) fn completed(seen: &[Vec<Seen>], most: MotionModel) -> Vec<Vec<(Point, Covariance)>> {
    (0..seen.len()).map(|pin| whole(seen, pin, most)).collect()
}

fn whole(seen: &[Vec<Seen>], pin: usize, most: MotionModel) -> Vec<(Point, Covariance)> {
    let own = &seen[pin];
    let there: Vec<usize> = (0..own.len()).filter(|&frame| own[frame].is_some()).collect();
    let (Some(&first), Some(&last)) = (there.first(), there.last()) else { return Vec::new() };
    let mut out: Vec<(Point, Covariance)> = own.iter().map(|seen| seen.unwrap_or_default()).collect();
    let mut put = |frames: Vec<(usize, Point)>, edge: usize| {
        let covariance = own[edge].unwrap_or_default().1;
        frames.into_iter().for_each(|(frame, at)| out[frame] = (at, covariance));
    };
    put(carried(seen, pin, last, own.len(), most), last);
    put(carried(seen, pin, first, 0, most), first);
    for gap in there.windows(2).filter(|pair| pair[1] > pair[0] + 1) {
        let (from, to) = (gap[0], gap[1]);
        let (on, back) = (carried(seen, pin, from, to, most), carried(seen, pin, to, from + 1, most));
        let faded = on.into_iter().zip(back.into_iter().rev()).map(|((frame, on), (_, back))| {
            let share = (frame - from) as f64 / (to - from) as f64;
            let share = share * share * (3.0 - 2.0 * share);
            (frame, on + (back - on) * share)
        });
        put(faded.collect(), from);
    }
    out
}

/// Places of a pin from next to `edge` up to before `end`, or, when `end` is not behind it, down to `end`.
pub(super) fn carried(
    seen: &[Vec<Seen>],
    pin: usize,
    edge: usize,
    end: usize,
    most: MotionModel,
) -> Vec<(usize, Point)> {
    let frames: Vec<usize> = if end > edge { (edge + 1..end).collect() } else { (end..edge).rev().collect() };
    let Some((place, _)) = seen[pin][edge] else { return Vec::new() };
    let (mut base, mut base_place) = (edge, place);
    let (mut before, mut before_place) = (edge, place);
    let mut party: Option<Vec<usize>> = None;
    let mut out = Vec::with_capacity(frames.len());
    for frame in frames {
        let common = |base: usize| -> Vec<usize> {
            (0..seen.len())
                .filter(|&other| other != pin && seen[other][base].is_some() && seen[other][frame].is_some())
                .collect()
        };
        let mut others = common(base);
        // Whenever somebody joins or leaves, the way goes on from the frame before: nothing jumps.
        if party.as_ref().is_some_and(|party| *party != others) {
            (base, base_place) = (before, before_place);
            others = common(base);
        }
        let matches: Vec<Match> = others.iter().filter_map(|&other| pair(&seen[other], base, frame)).collect();
        let map = fit_most(most.min(MotionModel::of_pins(matches.len())), &matches);
        (before, before_place) = (frame, map.map_or(before_place, |fit| fit.map.apply(base_place)));
        party = Some(others);
        out.push((before, before_place));
    }
    out
}

fn pair(seen: &[Seen], from: usize, to: usize) -> Option<Match> {
    let ((from, _), (to, covariance)) = (seen[from]?, seen[to]?);
    // How sure they are against each other hardly matters here; a guide is as sure as can be.
    Some(Match { from, to, covariance: covariance.plus(0.25) })
}
