//! Which frames a person should see, and where the next guide would help most.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::geometry::Point;
use crate::median::median;
use crate::time::Frame;
use crate::track::{Grasp, Sample, SampleState, Track};

/// Frames within this many of a more doubtful one are not named again: one look settles them all.
const APART: i64 = 8;
/// The list never gets longer, ...
const MOST: usize = 12;
/// ... nor longer than one frame of so many: five in ten seconds ...
const ONE_OF: usize = 60;
/// ... but for the first few.
const LEAST_MOST: usize = 3;
/// Doubts below this are none.
const LEAST: f64 = 1.0;
/// A second place that matches at least this share as well is a look-alike worth a doubt.
const LOOK_ALIKE: f64 = 0.93;
/// Following back may miss by this many pixels before it is doubtful; less is noise, and motion that changes the
/// picture.
const BACK_ERROR: f64 = 0.5;
/// A guide may lie this many pixels beside the pattern: people put it where the thing is, not where the pattern says.
const GUIDE_OFF: f64 = 1.5;
/// Standard deviation from which a place is called vague, in pixels.
const VAGUE: f64 = 0.35;
/// More than this much of it is no more doubtful, and mostly follows from something else, such as a guide that is off.
const MOST_VAGUE: f64 = 4.0;
/// The match may fall this far below what is usual in the shot.
const MATCH_FALL: f64 = 0.1;
/// A subject of which the learned picture sees this much is half covered; each tenth less is one doubt more.
const HALF_SEEN: f64 = 0.6;
const SEEN_FALL: f64 = 0.1;
/// A pin may be this many pixels off from where the subject's other pins take it.
const OFF_OTHERS: f64 = 2.0;
/// A change of velocity of this many pixels, over the usual one of the shot, is sudden.
const SUDDEN: f64 = 6.0;

/// Why a frame is worth a look.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum DoubtReason {
    /// Another place looks nearly the same.
    LookAlike,
    /// Followed back one frame, it does not come to where it was.
    BackError,
    /// Set by hand, but the pin's own pattern is found beside it.
    GuideOff,
    /// The picture does not fix the place well.
    Vague,
    /// It looks less like the pattern than elsewhere in the shot.
    LowMatch,
    /// Of the subject, which is only found roughly, hardly anything is seen.
    HardlySeen,
    /// It leaps.
    Sudden,
    /// The other pins of the subject say that it is elsewhere.
    OffTheOthers,
    /// It is hidden from here on: is it, and is the place right before?
    GoesHidden,
    /// It is seen again from here on: is it the same?
    ComesBack,
}

/// A frame that a person should see.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Doubt {
    /// Which.
    pub frame: Frame,
    /// The main reason.
    pub reason: DoubtReason,
    /// How doubtful, 1 is just worth a look.
    pub weight: f64,
}

/// The few frames of a pin most worth a look, most doubtful first. `off_others` is how far it is, in pixels, from where
/// the other pins of its subject take it; empty for a lone pin.
pub fn doubts(track: &Track, off_others: &BTreeMap<Frame, f64>) -> Vec<Doubt> {
    let samples: Vec<(Frame, Sample)> = track.iter().collect();
    let usual = Usual::of(&samples, off_others);
    let mut all: Vec<Doubt> = (0..samples.len()).filter_map(|i| doubt(&samples, i, &usual)).collect();
    all.sort_by(|a, b| b.weight.total_cmp(&a.weight).then(a.frame.cmp(&b.frame)));
    let most = (samples.len() / ONE_OF).clamp(LEAST_MOST, MOST);
    let mut listed: Vec<Doubt> = Vec::new();
    for doubt in all {
        if listed.len() < most && listed.iter().all(|other| other.frame.until(doubt.frame).abs() > APART) {
            listed.push(doubt);
        }
    }
    listed
}

/// What is usual in the shot.
struct Usual<'a> {
    matched: f64,
    change: f64,
    off_others: &'a BTreeMap<Frame, f64>,
}

impl<'a> Usual<'a> {
    fn of(samples: &[(Frame, Sample)], off_others: &'a BTreeMap<Frame, f64>) -> Self {
        let is_exact = |sample: &Sample| sample.state == SampleState::Found && sample.grasp == Grasp::Exact;
        let found = samples.iter().filter(|(_, sample)| is_exact(sample));
        let mut matches: Vec<f64> = found.map(|(_, sample)| sample.matched).collect();
        let mut changes: Vec<f64> = (0..samples.len()).filter_map(|i| change(samples, i)).collect();
        Self { matched: median(&mut matches).unwrap_or(1.0), change: median(&mut changes).unwrap_or(0.0), off_others }
    }
}

/// Change of velocity at a sample, in pixels per frame.
fn change(samples: &[(Frame, Sample)], i: usize) -> Option<f64> {
    let (before, this, after) = (samples.get(i.checked_sub(1)?)?, samples.get(i)?, samples.get(i + 1)?);
    let all = [before, this, after].iter().all(|(_, sample)| sample.state.is_present());
    let adjacent = before.0.until(this.0) == 1 && this.0.until(after.0) == 1;
    (all && adjacent).then(|| (after.1.at - this.1.at * 2.0 + before.1.at).length())
}

fn doubt(samples: &[(Frame, Sample)], i: usize, usual: &Usual<'_>) -> Option<Doubt> {
    let (frame, sample) = samples[i];
    if sample.state == SampleState::Found {
        return doubt_of_find(samples, i, usual);
    }
    if sample.state == SampleState::Guide {
        // Twice as weighty as what follows from it.
        let weight = sample.back_error.map_or(0.0, |off| 2.0 * off / GUIDE_OFF);
        return (weight >= LEAST).then_some(Doubt { frame, reason: DoubtReason::GuideOff, weight });
    }
    if sample.state != SampleState::Hidden {
        return None;
    }
    // A hidden run is one question at each end; the longer it is, the more hangs on it.
    let run = |step: i64| {
        let length = (1..).take_while(|n| {
            let other = usize::try_from(i as i64 + step * n).ok().and_then(|other| samples.get(other));
            other.is_some_and(|(_, sample)| sample.state == SampleState::Hidden)
        });
        length.count() as f64
    };
    let seen =
        |other: Option<usize>| other.and_then(|other| samples.get(other)).is_some_and(|(_, s)| s.state.is_present());
    let weight = |length: f64| 1.0 + (length + 1.0) / 30.0;
    match () {
        () if seen(i.checked_sub(1)) => Some(Doubt { frame, reason: DoubtReason::GoesHidden, weight: weight(run(1)) }),
        () if seen(Some(i + 1)) => {
            Some(Doubt { frame: Frame(frame.0 + 1), reason: DoubtReason::ComesBack, weight: weight(run(-1)) })
        }
        () => None,
    }
}

fn doubt_of_find(samples: &[(Frame, Sample)], i: usize, usual: &Usual<'_>) -> Option<Doubt> {
    let (frame, sample) = samples[i];
    let sudden = change(samples, i).map_or(0.0, |change| (change - 3.0 * usual.change) / SUDDEN);
    if sample.grasp == Grasp::Rough {
        let hardly = 1.0 + (HALF_SEEN - sample.matched) / SEEN_FALL;
        let (reason, weight) =
            if hardly > sudden { (DoubtReason::HardlySeen, hardly) } else { (DoubtReason::Sudden, sudden) };
        return (weight >= LEAST).then_some(Doubt { frame, reason, weight });
    }
    let reasons = [
        (DoubtReason::LookAlike, sample.peak_ratio.map_or(0.0, |ratio| 1.0 / (ratio * LOOK_ALIKE))),
        (DoubtReason::BackError, sample.back_error.map_or(0.0, |error| error / BACK_ERROR)),
        (DoubtReason::Vague, (sample.covariance.worst() / VAGUE).min(MOST_VAGUE)),
        (DoubtReason::LowMatch, (usual.matched - sample.matched) / MATCH_FALL),
        (DoubtReason::Sudden, sudden),
        (DoubtReason::OffTheOthers, usual.off_others.get(&frame).map_or(0.0, |off| off / OFF_OTHERS)),
    ];
    let (reason, weight) = reasons.into_iter().max_by(|a, b| a.1.total_cmp(&b.1))?;
    (weight >= LEAST).then_some(Doubt { frame, reason, weight })
}

/// The frame on which one more guide would help most: where the path is furthest from even motion between the guides
/// there are, which is where its pace changes. `None` when motion between the guides is even already.
///
/// One step of the subdivision of Ramer (1972) and Douglas & Peucker (1973), with time as a coordinate: distances are
/// measured at equal frames.
pub fn next_guide(track: &Track) -> Option<Frame> {
    let present: Vec<(Frame, Point)> = track
        .iter()
        .filter(|(_, sample)| sample.state.is_present())
        .map(|(frame, sample)| (frame, sample.at))
        .collect();
    let (first, last) = (*present.first()?, *present.last()?);
    let guides = track.guides().map(|(frame, sample)| (frame, sample.at));
    let mut knots: Vec<(Frame, Point)> = std::iter::once(first).chain(guides).chain([last]).collect();
    knots.dedup_by_key(|(frame, _)| *frame);
    let off = |(frame, at): &(Frame, Point)| {
        let after = knots.partition_point(|(knot, _)| knot < frame).clamp(1, knots.len() - 1);
        let (from, to) = (knots[after - 1], knots[after]);
        let share = from.0.until(*frame) as f64 / (from.0.until(to.0) as f64).max(1.0);
        at.distance(from.1 + (to.1 - from.1) * share)
    };
    let furthest = present.iter().filter(|_| knots.len() > 1).max_by(|a, b| off(a).total_cmp(&off(b)))?;
    (off(furthest) > 1.0).then_some(furthest.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn doubts(track: &Track) -> Vec<Doubt> {
        super::doubts(track, &BTreeMap::new())
    }
    use crate::track::Covariance;

    fn found(n: u32) -> Sample {
        let at = Point::new(2.0 * f64::from(n), 50.0);
        let sample = Sample::bare(at, 0.97, Covariance::new([1e-3, 0.0, 1e-3]), SampleState::Found);
        Sample { peak_ratio: Some(2.5), back_error: Some(0.03), ..sample }
    }

    fn track(change: impl Fn(u32, Sample) -> Sample) -> Track {
        (0..300).map(|n| (Frame(n), change(n, found(n)))).collect()
    }

    #[test]
    fn a_good_track_is_not_worth_a_look() {
        assert_eq!(doubts(&track(|_, sample| sample)), []);
    }

    #[test]
    fn each_reason_is_found_and_the_worst_comes_first() {
        let track = track(|n, sample| match n {
            10 => Sample { back_error: Some(2.0), ..sample },
            30 => Sample { peak_ratio: Some(1.01), ..sample },
            50 => Sample { covariance: Covariance::new([0.25, 0.0, 0.01]), ..sample },
            70 => Sample { matched: 0.82, ..sample },
            90 => Sample { at: sample.at + Point::new(0.0, 12.0), ..sample },
            _ => sample,
        });
        let list = doubts(&track);
        let reasons: Vec<(u32, DoubtReason)> = list.iter().map(|doubt| (doubt.frame.0, doubt.reason)).collect();
        assert_eq!(reasons[0], (10, DoubtReason::BackError));
        for want in [
            (30, DoubtReason::LookAlike),
            (50, DoubtReason::Vague),
            (70, DoubtReason::LowMatch),
            (90, DoubtReason::Sudden),
        ] {
            assert!(reasons.contains(&want), "{want:?} of {reasons:?}");
        }
        assert!(list.windows(2).all(|pair| pair[0].weight >= pair[1].weight));
    }

    #[test]
    fn a_hidden_run_is_asked_about_at_its_ends() {
        let track =
            track(
                |n, sample| {
                    if (40..60).contains(&n) { Sample::predicted(sample.at, SampleState::Hidden) } else { sample }
                },
            );
        let reasons: Vec<(u32, DoubtReason)> = doubts(&track).iter().map(|d| (d.frame.0, d.reason)).collect();
        assert_eq!(reasons, [(40, DoubtReason::GoesHidden), (60, DoubtReason::ComesBack)]);
    }

    #[test]
    fn the_next_guide_goes_where_the_pace_changes() {
        let pace = |n: u32| Point::new(f64::from(n.min(60)) + 6.0 * f64::from(n.saturating_sub(60)), 50.0);
        let slow_fast =
            track(|n, sample| if n == 0 { Sample::guide(pace(0)) } else { Sample { at: pace(n), ..sample } });
        assert_eq!(next_guide(&slow_fast), Some(Frame(60)));
        assert_eq!(next_guide(&track(|_, sample| sample)), None);
    }
}
