//! Whether who comes back is somebody else. Followed back, the subject would have been behind something while it was
//! hidden; somebody else was to be seen all the while, and somewhere else when the subject was last seen. It is the
//! check there and back of Kalal et al. 2010, asked of each return, and of each time that what has stood goes.

use std::collections::BTreeMap;
use std::ops::Range;

use super::pass::Pass;
use super::sighting::Sighting;
use super::standing::Stand;
use super::view::View;
use crate::geometry::Point;
use crate::image::FrameSource;
use crate::time::Frame;

/// What responds less is hardly more than hidden.
const HARDLY: f64 = 0.5;
/// A step that costs more is a leap: it may be one to somebody else.
const LEAP: f64 = 2.0;
/// A shorter gap, without a leap, does not let anybody else take the place.
const SHORTEST_GAP: usize = 2;
/// Frames after a return among which the surest is followed back.
const FIRST_OF_RUN: usize = 40;
/// Frames before a gap on which both are compared.
const BEFORE_GAP: usize = 10;
/// Who was beside the subject on those may still be another: it is followed back further, to where the two met.
/// Somebody who passes is beside the subject for a second or two; other lengths than this were not tried.
const FAR_BEFORE: usize = 60;
/// Both have to be seen on so many of the frames before they met, ...
const LEAST_PARTED: usize = 10;
/// ... and be apart on this share of them.
const PARTED: f64 = 0.9;
/// What responds so much is seen plainly.
const PLAIN: f64 = 0.6;
/// Somebody else has to be seen on this share of the gap's frames ...
const THROUGH: f64 = 0.7;
/// ... be so many boxes from the subject ...
const APART: f64 = 0.5;
/// ... on this share of the frames before it ...
const ELSEWHERE: f64 = 0.6;
/// ... and with it on no more than this share.
const TOGETHER: f64 = 0.2;
/// After a gap of no more frames nobody has changed so much that following back would not know the subject again.
const SHORT_GAP: usize = 12;
/// Each so many frames of a longer one it is asked whether who is followed back was lost on the way.
const LOST_EACH: usize = 30;

/// The newest frames of a way may still turn out to have been gone otherwise; twice as many were not tried.
const UNSETTLED: usize = 24;

/// Frames on which the subject is not plainly seen, up to the one on which it is again; none when it has leapt. Or those on
/// which it left the place on which it had stood.
#[derive(Clone, Copy, Debug)]
struct Gap {
    first: usize,
    back: usize,
}

/// Somebody else that was taken for the subject, in indices of what was found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Taken {
    /// From where on.
    pub from: usize,
    /// First one on which it is known where that one is, no later than that.
    pub known_from: usize,
}

/// Where others than the subject are known to be, and who was asked already.
#[derive(Default)]
pub(super) struct Alibis {
    others: BTreeMap<Frame, Vec<Point>>,
    /// What was found when it was asked last. Who came back in a part of it that is still the same had an alibi.
    asked: Vec<Sighting>,
}

impl Alibis {
    /// Where others are on a frame.
    pub fn others(&self, frame: Frame) -> &[Point] {
        self.others.get(&frame).map_or(&[][..], Vec::as_slice)
    }

    /// Who was taken for the subject first, if anybody was. Where that one went is then noted. Returns of which too
    /// little is known yet wait until more is found, unless this is all.
    pub fn ask<S: FrameSource>(
        &mut self,
        source: &mut S,
        view: &View<'_>,
        found: &[Sighting],
        is_all: bool,
    ) -> Result<Option<Taken>, S::Error> {
        let settled = if is_all { found.len() } else { found.len().saturating_sub(UNSETTLED) };
        let same = self.asked.iter().zip(found).take_while(|(before, now)| before == now).count();
        let until = |gap: &Gap| gap.back + FIRST_OF_RUN;
        let had_an_alibi = |gap: &Gap| until(gap) < same;
        let known = |gap: &Gap| is_all || until(gap) < settled;
        for gap in gaps(found, view.side).into_iter().filter(|gap| known(gap) && !had_an_alibi(gap)) {
            if let Some(taken) = self.ask_one(source, view, found, gap)? {
                self.asked = found[..gap.back].to_vec();
                return Ok(Some(taken));
            }
        }
        self.asked = found[..settled].to_vec();
        Ok(None)
    }

    /// Who came back after a gap, if it was not the subject.
    fn ask_one<S: FrameSource>(
        &mut self,
        source: &mut S,
        view: &View<'_>,
        found: &[Sighting],
        Gap { first, back }: Gap,
    ) -> Result<Option<Taken>, S::Error> {
        let last = (back + FIRST_OF_RUN).min(found.len());
        let surest = (back..last).max_by(|a, b| found[*a].likeness.total_cmp(&found[*b].likeness)).unwrap_or(back);
        let compared = first.saturating_sub(FAR_BEFORE);
        let Some(way) = followed_back(source, view, found, compared..surest, first..back)? else { return Ok(None) };
        let (before, after) = way.split_at(first - compared);
        let (gap, subject) = (&after[..back - first], &found[compared..first]);
        let near = subject.len().saturating_sub(BEFORE_GAP);
        let from = if was_elsewhere(&before[near..], gap, &subject[near..], view.side) {
            back
        } else if let Some(met) = met(before, gap, subject, view.side) {
            compared + met
        } else {
            return Ok(None);
        };
        let before_they_met = subject.len().min(from - compared);
        // Who was followed back may have gone over to the subject itself for a moment before they met.
        let beside =
            |(i, other): &(usize, &Sighting)| *i >= before_they_met || !is_beside(other, &subject[*i], view.side);
        let own = way.iter().enumerate().filter(beside).map(|(i, other)| (compared + i, other));
        let later = found.iter().enumerate().skip(surest).take_while(|(_, sighting)| sighting.seen);
        let mut known_from = from;
        for (i, sighting) in own.chain(later).filter(|(_, sighting)| sighting.seen) {
            known_from = known_from.min(i);
            self.others.entry(sighting.frame).or_default().push(sighting.at);
        }
        Ok(Some(Taken { from, known_from }))
    }
}

/// Whether a subject is seen on the place of somebody else.
fn is_beside(other: &Sighting, subject: &Sighting, side: f64) -> bool {
    subject.seen && other.boxes_from(subject, side) <= APART
}

fn is_plain(sighting: &Sighting) -> bool {
    sighting.seen && sighting.likeness > PLAIN
}

/// Share of a gap's frames on which somebody is plainly seen.
fn through(gap: &[Sighting]) -> f64 {
    gap.iter().filter(|sighting| is_plain(sighting)).count() as f64 / gap.len().max(1) as f64
}

/// On which of the frames before a gap the subject and somebody else met, who was followed back through it: before that
/// they are apart, as far back as it is followed. From there on it was taken for the subject, or may have been.
fn met(before: &[Sighting], gap: &[Sighting], subject: &[Sighting], side: f64) -> Option<usize> {
    if gap.len() > SHORT_GAP && through(gap) < THROUGH {
        return None;
    }
    let pairs = before.iter().zip(subject).enumerate();
    let both = pairs.filter(|(_, (other, subject))| is_plain(other) && subject.seen);
    let (mut seen, mut apart, mut met) = (0, 0, None);
    for (i, (other, subject)) in both {
        seen += 1;
        if other.boxes_from(subject, side) > APART {
            apart += 1;
            if seen >= LEAST_PARTED && f64::from(apart) >= PARTED * seen as f64 {
                met = Some(i + 1);
            }
        }
    }
    met
}

fn gaps(found: &[Sighting], side: f64) -> Vec<Gap> {
    let more_than_hidden = |sighting: &Sighting| sighting.seen && sighting.likeness > HARDLY;
    let mut gaps = Vec::new();
    let mut first = 0;
    let mut stand = Stand::default();
    for (back, sighting) in found.iter().enumerate().filter(|(_, sighting)| more_than_hidden(sighting)) {
        if first > 0 && (back - first >= SHORTEST_GAP || sighting.cost > LEAP) {
            gaps.push(Gap { first, back });
            stand = Stand::at(back);
        } else if let Some(left) = stand.left(found, back, side) {
            gaps.push(Gap { first: left, back });
        }
        first = back + 1;
    }
    gaps
}

/// What is seen of who is found on the last of these frames, on all before it, in their order; `None` when it is seen
/// plainly on too little of the gap among them for anybody to say who came out of it.
fn followed_back<S: FrameSource>(
    source: &mut S,
    view: &View<'_>,
    found: &[Sighting],
    frames: Range<usize>,
    gap: Range<usize>,
) -> Result<Option<Vec<Sighting>>, S::Error> {
    let from = found[frames.end];
    let same_size = View { side: view.side * from.scale, ..view.clone() };
    let velocity = found.get(frames.end + 1).filter(|next| next.seen).map(|next| from.at - next.at);
    let mut pass = Pass::start(source, &same_size, (from.frame, from.at), velocity)?;
    let after_gap = frames.end - gap.end;
    for sighting in found[frames].iter().rev() {
        pass.step(source, sighting.frame, false, &[])?;
        let steps = pass.steps();
        let is_in_gap = (after_gap..after_gap + gap.len()).contains(&steps);
        if is_in_gap && (steps - after_gap).is_multiple_of(LOST_EACH) && is_lost(&pass.finish()[after_gap..], gap.len())
        {
            return Ok(None);
        }
    }
    let mut way = pass.finish();
    way.reverse();
    Ok(Some(way))
}

/// Whether who was followed back through a part of a gap of so many frames is plainly seen on too few of them already,
/// whatever is seen on the others.
fn is_lost(part: &[Sighting], gap: usize) -> bool {
    let missed = part.iter().filter(|sighting| !is_plain(sighting)).count();
    gap > SHORT_GAP && missed as f64 > (1.0 - THROUGH) * gap as f64
}

/// Whether who was followed back, through the frames of a gap and some before it, is not the subject that was seen on
/// these.
fn was_elsewhere(before: &[Sighting], gap: &[Sighting], subject: &[Sighting], side: f64) -> bool {
    let seen = |(_, subject): &(&Sighting, &Sighting)| subject.seen;
    let both: Vec<(&Sighting, &Sighting)> = before.iter().zip(subject).filter(seen).collect();
    let boxes = |(other, subject): &(&Sighting, &Sighting)| other.boxes_from(subject, side);
    let share = |test: &dyn Fn(&(&Sighting, &Sighting)) -> bool| {
        both.iter().filter(|pair| test(pair)).count() as f64 / both.len().max(1) as f64
    };
    let together = share(&|pair| is_plain(pair.0) && boxes(pair) <= APART);
    let apart = share(&|pair| is_plain(pair.0) && boxes(pair) > APART);
    let seen_elsewhere = (gap.is_empty() || through(gap) >= THROUGH) && apart >= ELSEWHERE;
    // It comes from a place where the subject was not, and does not look like it there.
    let came_from_elsewhere = gap.len() <= SHORT_GAP && both.last().is_some_and(|pair| boxes(pair) > 1.0);
    both.len() * 2 > BEFORE_GAP && together <= TOGETHER && (seen_elsewhere || came_from_elsewhere)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sighting(n: u32, x: f64, seen: bool) -> Sighting {
        let (likeness, cost) = if seen { (0.9, 0.1) } else { (0.0, 1.0) };
        let at = Point::new(x, 50.0);
        let (scale, still, learned) = (1.0, false, false);
        Sighting { frame: Frame(n), at, likeness, known: likeness, scale, seen, still, learned, cost }
    }

    #[test]
    fn gaps_are_hidden_runs_and_leaps() {
        let mut found: Vec<Sighting> = (0..30).map(|n| sighting(n, f64::from(n), !(10..14).contains(&n))).collect();
        found[20].cost = 2.5;
        found[25].likeness = 0.3;
        let gaps: Vec<(usize, usize)> = gaps(&found, 25.0).iter().map(|gap| (gap.first, gap.back)).collect();
        assert_eq!(gaps, [(10, 14), (20, 20)], "one weak frame is no gap");
    }

    #[test]
    fn who_is_lost_in_a_gap_for_too_long_is_followed_back_no_further() {
        let part = |seen: u32| -> Vec<Sighting> { (0..40).map(|n| sighting(n, 50.0, n < seen)).collect() };
        assert!(is_lost(&part(9), 100), "31 of 100 are missed already");
        assert!(!is_lost(&part(10), 100), "it may be seen on all others");
        assert!(!is_lost(&part(0), SHORT_GAP), "after a short gap it may come from where the subject was not");
    }

    #[test]
    fn what_stood_and_goes_is_asked_for_its_alibi() {
        let x = |n: u32| 100.0 + 2.0 * n.saturating_sub(29) as f64;
        let found: Vec<Sighting> = (0..60).map(|n| sighting(n, x(n), true)).collect();
        let gaps: Vec<(usize, usize)> = gaps(&found, 25.0).iter().map(|gap| (gap.first, gap.back)).collect();
        assert_eq!(gaps, [(31, 36)], "from where it is out of its place to where it is half of a box away");
    }

    #[test]
    fn who_was_beside_the_subject_and_came_from_elsewhere_is_somebody_else_from_where_they_met() {
        let way =
            |places: &dyn Fn(u32) -> f64| -> Vec<Sighting> { (0..40).map(|n| sighting(n, places(n), true)).collect() };
        let subject = way(&|_| 100.0);
        // One who comes along, and stops beside the subject on frame 20.
        let other = way(&|n| 100.0 + 5.0 * 20u32.saturating_sub(n) as f64);
        assert_eq!(met(&other, &[], &subject, 25.0), Some(18), "nearer than half of a box is the same place");
        assert_eq!(met(&subject, &[], &subject, 25.0), None);
        let crosses_twice = way(&|n| if (15..20).contains(&n) || n < 5 { 100.0 } else { 160.0 });
        assert_eq!(met(&crosses_twice, &[], &subject, 25.0), None, "who was at the same place before is the subject");
        let lost: Vec<Sighting> = (40..60).map(|n| sighting(n, 100.0, false)).collect();
        assert_eq!(met(&other, &lost, &subject, 25.0), None, "nobody can say who comes out of a long gap");
    }

    #[test]
    fn who_was_to_be_seen_elsewhere_all_the_while_is_somebody_else() {
        let subject: Vec<Sighting> = (0..10).map(|n| sighting(n, 100.0, true)).collect();
        let gap = |seen: bool| -> Vec<Sighting> { (10..15).map(|n| sighting(n, 140.0, seen)).collect() };
        let at = |x: f64, seen: bool| -> Vec<Sighting> { (0..10).map(|n| sighting(n, x, seen)).collect() };
        assert!(was_elsewhere(&at(150.0, true), &gap(true), &subject, 25.0));
        assert!(was_elsewhere(&at(150.0, false), &gap(true), &subject, 25.0), "it left, or was covered itself");
        assert!(!was_elsewhere(&at(102.0, true), &gap(false), &subject, 25.0), "it is where the subject is");
        let long: Vec<Sighting> = (10..60).map(|n| sighting(n, 140.0, false)).collect();
        assert!(!was_elsewhere(&at(150.0, false), &long, &subject, 25.0), "after long nobody can say");
    }
}
