//! A stretch between two places that are known, gone through from both of them; or from one, to an end.

use super::alibi::{Alibis, Taken};
use super::marks::Marks;
use super::pass::{EARLY, EARLY_WITH_COPIES, Pass};
use super::sighting::{Known, Sighting};
use super::standing::stood_at;
use super::view::View;
use crate::geometry::Point;
use crate::image::FrameSource;
use crate::time::Frame;

/// Cost of changing from the way of one side to that of the other, for each box that lies between them.
const CHANGE_PER_BOX: f64 = 3.0;
/// And where one of them does not see it.
const CHANGE_UNSEEN: f64 = 0.5;
/// Two ways nearer than this share of the box mean the same place.
const SAME: f64 = 0.35;

/// Others that are told from the subject at most.
const MOST_OTHERS: usize = 3;
/// So many frames are gone on before it is asked whether somebody else was taken for the subject; the way can be gone again
/// from each such place.
const ASKED_EACH: usize = 60;

/// From where a stretch is gone through, and what is known besides.
#[derive(Clone, Copy, Debug)]
pub struct Side<'a> {
    /// Where it starts.
    pub from: Known,
    /// Other places that are known: they teach what the subject looks like.
    pub taught: &'a [Known],
}

impl Side<'_> {
    /// What is seen on `frames`, in their order, which leads away from the start. `hidden` says on which frames a
    /// person says that it cannot be seen; `goes_on` is asked after each frame. `None` when it says no.
    ///
    /// # Errors
    /// Those of the source.
    pub fn sightings<S: FrameSource>(
        &self,
        source: &mut S,
        view: &View<'_>,
        frames: &[Frame],
        hidden: &dyn Fn(Frame) -> bool,
        goes_on: &mut dyn FnMut() -> bool,
    ) -> Result<Option<Vec<Sighting>>, S::Error> {
        let Some(first) = frames.first() else { return Ok(Some(Vec::new())) };
        let away = first.0 > self.from.frame.0;
        let velocity = self.velocity(source, view, away)?;
        let mut pass = Pass::start(source, view, (self.from.frame, self.from.at), velocity)?;
        for known in self.taught {
            pass.teach(source, known)?;
        }
        // A part of the scene stays where it is: nobody can take its place.
        let needs_alibi = view.settings.alibi && !pass.is_background();
        let mut doubt = Doubt::default();
        let mut marks = Marks::new(pass.mark());
        loop {
            let next = if needs_alibi { (pass.steps() + ASKED_EACH).min(frames.len()) } else { frames.len() };
            for (i, &frame) in frames.iter().enumerate().take(next).skip(pass.steps()) {
                pass.step(source, frame, hidden(frame), doubt.alibis.others(frame))?;
                if let Some((_, place)) = doubt.stays.filter(|(since, _)| *since == i) {
                    pass.stay(place);
                }
                if !goes_on() {
                    return Ok(None);
                }
            }
            pass.look_again(source)?;
            let (found, is_all) = (pass.finish(), next == frames.len());
            let taken = if needs_alibi { doubt.alibis.ask(source, view, &found, is_all)? } else { None };
            match taken {
                None if is_all => return Ok(Some(found)),
                None => marks.offer(pass.steps(), || pass.mark()),
                Some(taken) => match doubt.again_from(taken, &found, view.side) {
                    Some(first) => pass.back_to(marks.back_to(first)),
                    None => return Ok(Some(nobody_knows(&found[..taken.from], frames))),
                },
            }
        }
    }

    /// How it moves, as the first frames the other way show it.
    fn velocity<S: FrameSource>(&self, source: &mut S, view: &View<'_>, away: bool) -> Result<Option<Point>, S::Error> {
        let step = if away { -1 } else { 1 };
        let mut pass = Pass::start(source, view, (self.from.frame, self.from.at), None)?;
        let mut at = self.from.frame;
        for _ in 0..EARLY_WITH_COPIES {
            match at.step(step).filter(|next| view.part.contains(*next)) {
                Some(next) => at = next,
                None => return Ok(None),
            }
            pass.step(source, at, false, &[])?;
            if pass.distinct() == EARLY {
                break;
            }
        }
        Ok(pass.velocity().map(|velocity| velocity * -1.0))
    }
}

/// What is known on a way of those who were taken for the subject.
#[derive(Default)]
struct Doubt {
    alibis: Alibis,
    told: usize,
    /// From which frame on it is looked for only where it had stood until then.
    stood: Option<(usize, Point)>,
    stays: Option<(usize, Point)>,
}

impl Doubt {
    /// From which frame on the way is to be gone again after somebody else was taken for the subject; `None` where enough
    /// was tried.
    fn again_from(&mut self, taken: Taken, found: &[Sighting], side: f64) -> Option<usize> {
        if self.stood.is_none() {
            self.stood = stood_at(&found[..taken.from], side).map(|place| (taken.from - 1, place));
        }
        if self.told < MOST_OTHERS {
            self.told += 1;
            return Some(taken.known_from);
        }
        // What stood still is looked for in its place.
        let stays = if self.stays.is_none() { self.stood } else { None };
        self.stays = self.stays.or(stays);
        stays.map(|(since, _)| since.min(taken.known_from))
    }
}

/// What is found on all these frames where nobody can tell the subject from others after the first of them.
fn nobody_knows(found: &[Sighting], frames: &[Frame]) -> Vec<Sighting> {
    let last = found[found.len() - 1];
    let later = frames[found.len()..].iter().map(|frame| Sighting { frame: *frame, ..last.hidden(last.at) });
    found.iter().copied().chain(later).collect()
}

/// One way of what was seen from the left and from the right, both in order of frames: it leaves the one for the other
/// where that costs least.
pub fn joined(left: Option<Vec<Sighting>>, right: Option<Vec<Sighting>>, side: f64) -> Vec<Sighting> {
    let (left, right) = match (left, right) {
        (Some(left), Some(right)) => (left, right),
        (Some(only), None) | (None, Some(only)) => return only,
        (None, None) => return Vec::new(),
    };
    let count = left.len();
    let cost = |sightings: &[Sighting]| sightings.iter().map(|sighting| sighting.cost).sum::<f64>();
    let change = |at: usize| match (at.checked_sub(1).and_then(|i| left.get(i)), right.get(at)) {
        (Some(a), Some(b)) if a.seen && b.seen => CHANGE_PER_BOX * (a.at.distance(b.at) / (side * a.scale)).min(1.0),
        (Some(_), Some(_)) => CHANGE_UNSEEN,
        _ => 0.0,
    };
    let total = |at: usize| cost(&left[..at]) + change(at) + cost(&right[at..]);
    let at = (0..=count).min_by(|a, b| total(*a).total_cmp(&total(*b))).unwrap_or(count);
    let one = |i: usize| {
        let (own, other) = if i < at { (&left[i], &right[i]) } else { (&right[i], &left[i]) };
        let agree = own.seen && other.seen && own.at.distance(other.at) < SAME * side * own.scale;
        if !agree {
            return *own;
        }
        // Each side is surest near where it began.
        let share = (i as f64 + 1.0) / (count as f64 + 1.0);
        Sighting { at: left[i].at * (1.0 - share) + right[i].at * share, ..*own }
    };
    (0..count).map(one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::image::{Plane, PlaneStack, SceneFinder};
    use crate::locate::{Film, Settings};
    use crate::time::FrameRange;

    fn sighting(n: u32, x: f64, seen: bool) -> Sighting {
        let cost = if seen { 0.1 } else { 1.0 };
        Sighting {
            frame: Frame(n),
            at: Point::new(x, 50.0),
            likeness: 0.9,
            known: 0.9,
            scale: 1.0,
            seen,
            still: false,
            learned: false,
            cost,
        }
    }

    #[test]
    fn what_one_side_has_lost_the_other_knows() {
        let left = (0..20).map(|n| sighting(n, f64::from(n), n < 8)).collect();
        let right = (0..20).map(|n| sighting(n, f64::from(n) + 0.5, n >= 12)).collect();
        let way = joined(Some(left), Some(right), 25.0);
        let seen: Vec<u32> = way.iter().filter(|s| s.seen).map(|s| s.frame.0).collect();
        assert_eq!(seen, (0..8).chain(12..20).collect::<Vec<u32>>());
    }

    #[test]
    fn where_both_agree_the_path_goes_over_from_one_to_the_other() {
        let left: Vec<Sighting> = (0..9).map(|n| sighting(n, 10.0, true)).collect();
        let right: Vec<Sighting> = (0..9).map(|n| sighting(n, 12.0, true)).collect();
        let way = joined(Some(left.clone()), Some(right), 25.0);
        assert!(way.windows(2).all(|pair| pair[0].at.x < pair[1].at.x), "{way:?}");
        assert!((way[4].at.x - 11.0).abs() < 1e-9);
        assert_eq!(joined(Some(left.clone()), None, 25.0), left);
    }

    #[test]
    fn a_way_is_gone_again_from_where_others_are_known_until_enough_was_tried() {
        let found: Vec<Sighting> = (0..60).map(|n| sighting(n, 100.0, true)).collect();
        let taken = Taken { from: 50, known_from: 40 };
        let mut doubt = Doubt::default();
        for _ in 0..MOST_OTHERS {
            assert_eq!(doubt.again_from(taken, &found, 25.0), Some(40));
            assert!(doubt.stays.is_none());
        }
        let later = Taken { from: 58, known_from: 55 };
        assert_eq!(doubt.again_from(later, &found, 25.0), Some(49), "it had stood until the first was taken for it");
        assert_eq!(doubt.stays, Some((49, Point::new(100.0, 50.0))));
        assert_eq!(doubt.again_from(later, &found, 25.0), None);

        let walks: Vec<Sighting> = (0..60).map(|n| sighting(n, 5.0 * f64::from(n), true)).collect();
        let mut doubt = Doubt { told: MOST_OTHERS, ..Doubt::default() };
        assert_eq!(doubt.again_from(taken, &walks, 25.0), None, "who has not stood is looked for nowhere");
        let frames: Vec<Frame> = (0..90).map(Frame).collect();
        let known = nobody_knows(&walks[..50], &frames);
        assert_eq!(known.iter().map(|sighting| sighting.frame).collect::<Vec<_>>(), frames);
        assert!(known[..50] == walks[..50] && known[50..].iter().all(|one| !one.seen && one.at == walks[49].at));
    }

    const SIZE: Size = Size::new(240, 140);

    fn chance(a: f64, b: f64) -> f64 {
        ((a.floor() * 12.9898 + b.floor() * 78.233).sin() * 43_758.545).fract().abs()
    }

    /// A card that goes by, up to where it has left the picture; after a while another, of which so much is like it.
    fn two_go_by(n: u32, alike: f64) -> Plane {
        let x = 30.0 + 7.0 * f64::from(if n < LATER { n } else { n - LATER });
        Plane::from_fn(SIZE, |col, row| {
            let (col, row) = (f64::from(col) + 0.5, f64::from(row) + 0.5);
            let (u, v) = (col - x, row - 70.0);
            let own = chance(u / 6.0, v / 6.0);
            let light = match (u.abs() < 20.0 && v.abs() < 20.0, n < LATER) {
                (false, _) => chance(col / 17.0, row / 13.0 + 50.0),
                (true, true) => own,
                (true, false) => alike * own + (1.0 - alike) * chance(v / 6.0 + 90.0, u / 6.0),
            };
            (60.0 + 130.0 * light) as u8
        })
    }

    /// A card that goes by to the right, of which each picture is shown so many times.
    fn shown_again(times: u32) -> Vec<Plane> {
        let card = |n: u32| Point::new(80.0 + PER_PICTURE * f64::from(n / times), 70.0);
        let picture = |card: Point| {
            Plane::from_fn(ROOM, |col, row| {
                let (col, row) = (f64::from(col) + 0.5, f64::from(row) + 0.5);
                let (u, v) = (col - card.x, row - card.y);
                let is_card = u.abs() < 20.0 && v.abs() < 20.0;
                let light = if is_card { chance(u / 6.0, v / 6.0) } else { chance(col / 17.0, row / 13.0 + 50.0) };
                (60.0 + 130.0 * light) as u8
            })
        };
        (0..times * 14).map(|n| picture(card(n))).collect()
    }

    const PER_PICTURE: f64 = 12.0;

    #[test]
    fn how_it_moves_is_known_though_each_picture_is_shown_several_times() {
        for times in [1, 2, 6] {
            let planes = shown_again(times);
            let mut finder = SceneFinder::default();
            planes.iter().for_each(|plane| finder.push(plane));
            let scene = finder.finish();
            let part = FrameRange { first: Frame(0), last: Frame(planes.len() as u32 - 1) };
            let view = View::new(Film { scene: &scene, part }, ROOM, Settings::default());
            // Amid the copies of the seventh picture.
            let at = Point::new(80.0 + PER_PICTURE * 7.0, 70.0);
            let from = Known { frame: Frame(7 * times + times / 2), at };
            let mut source = PlaneStack::new(planes).unwrap();
            let velocity = Side { from, taught: &[] }.velocity(&mut source, &view, true).unwrap().unwrap();
            let off = velocity.distance(Point::new(PER_PICTURE / f64::from(times), 0.0));
            assert!(off < 0.05 * PER_PICTURE / f64::from(times), "each {times} times: {velocity:?}");
        }
    }

    const LATER: u32 = 64;

    fn seen_later(alike: f64) -> usize {
        let planes = (0..LATER + 28).map(|n| two_go_by(n, alike)).collect();
        let found = followed(planes, SIZE, Point::new(30.0, 70.0));
        found[LATER as usize..].iter().filter(|sighting| sighting.seen).count()
    }

    /// What is seen of a card that is clicked on the first of these pictures, on all others.
    fn followed(planes: Vec<Plane>, size: Size, at: Point) -> Vec<Sighting> {
        followed_in_steps(planes, size, at).0
    }

    /// The same, and how many frames were looked at for it.
    fn followed_in_steps(planes: Vec<Plane>, size: Size, at: Point) -> (Vec<Sighting>, usize) {
        let all = FrameRange { first: Frame(0), last: Frame(planes.len() as u32 - 1) };
        let mut finder = SceneFinder::default();
        planes.iter().for_each(|plane| finder.push(plane));
        let scene = finder.finish();
        let settings = Settings { copies: false, ..Settings::default() };
        let view = View::new(Film { scene: &scene, part: all }, size, settings);
        let side = Side { from: Known { frame: Frame(0), at }, taught: &[] };
        let frames: Vec<Frame> = (1..=all.last.0).map(Frame).collect();
        let mut source = PlaneStack::new(planes).unwrap();
        let mut steps = 0;
        let mut goes_on = || {
            steps += 1;
            true
        };
        let found = side.sightings(&mut source, &view, &frames, &|_| false, &mut goes_on).unwrap().unwrap();
        assert_eq!(found.iter().map(|sighting| sighting.frame).collect::<Vec<_>>(), frames);
        assert!(found[..15].iter().all(|sighting| sighting.seen), "it is followed as long as it is there");
        (found, steps)
    }

    /// A card that goes by until it is gone for good, and others just like it that go along beside it all the while.
    fn one_of_many(n: u32, gone: u32, others: usize) -> Plane {
        let subject = Point::new(40.0 + 2.0 * f64::from(n), 60.0);
        let beside = |i: usize| subject + Point::new((i / 2) as f64, (1 + i % 2) as f64) * 70.0;
        let cards: Vec<Point> = (0..others).map(beside).chain((n < gone).then_some(subject)).collect();
        Plane::from_fn(ROOM, |col, row| {
            let (col, row) = (f64::from(col) + 0.5, f64::from(row) + 0.5);
            let card = cards.iter().find(|card| (col - card.x).abs() < 20.0 && (row - card.y).abs() < 20.0);
            let light = match card {
                Some(card) => chance((col - card.x) / 6.0, (row - card.y) / 6.0),
                None => chance(col / 17.0, row / 13.0 + 50.0),
            };
            (60.0 + 130.0 * light) as u8
        })
    }

    const ROOM: Size = Size::new(480, 260);
    const AFTERWARDS: u32 = 60;

    /// How often somebody else is taken for the card once it is gone, and how many frames were looked at.
    fn taken_for_it(gone: u32, others: usize) -> (usize, usize) {
        let planes = (0..gone + AFTERWARDS).map(|n| one_of_many(n, gone, others)).collect();
        let (found, steps) = followed_in_steps(planes, ROOM, Point::new(40.0, 60.0));
        (found[gone as usize..].iter().filter(|sighting| sighting.seen).count(), steps)
    }

    /// A card that stands, and something is put before it for a while; just then one like it is carried past.
    fn covered_as_one_like_it_passes(n: u32) -> Plane {
        let passing = Point::new(20.0 + 6.0 * f64::from(n), 70.0);
        Plane::from_fn(ROOM, |col, row| {
            let (col, row) = (f64::from(col) + 0.5, f64::from(row) + 0.5);
            let on = |middle: Point| (col - middle.x).abs() < 20.0 && (row - middle.y).abs() < 20.0;
            let card = |middle: Point| chance((col - middle.x) / 6.0, (row - middle.y) / 6.0);
            let is_covered = (PASSED..UNCOVERED).contains(&n) && (col - STANDING.x).abs() < 50.0 && row < 130.0;
            let light = match () {
                () if on(passing) => card(passing),
                () if is_covered => 0.1,
                () if on(STANDING) => card(STANDING),
                () => chance(col / 17.0, row / 13.0 + 50.0),
            };
            (60.0 + 130.0 * light) as u8
        })
    }

    const STANDING: Point = Point { x: 200.0, y: 70.0 };
    /// On this frame the one that passes is where the other stands.
    const PASSED: u32 = 30;
    const UNCOVERED: u32 = 110;

    #[test]
    fn what_stands_is_not_carried_off_by_what_passes_and_is_found_again_where_it_stood() {
        let found = followed((0..UNCOVERED + 20).map(covered_as_one_like_it_passes).collect(), ROOM, STANDING);
        let seen = |from: u32, to: u32| found[from as usize..to as usize].iter().filter(|sighting| sighting.seen);
        assert_eq!(seen(PASSED + 10, UNCOVERED - 1).count(), 0, "it is covered");
        assert!(seen(UNCOVERED, UNCOVERED + 19).count() >= 15, "it is seen again");
        assert!(found.iter().filter(|one| one.seen).all(|one| one.at.distance(STANDING) < 12.0));
    }

    #[test]
    fn after_many_that_look_like_it_nobody_is_believed() {
        for others in [1, MOST_OTHERS + 2] {
            let ways = 1 + others.min(MOST_OTHERS);
            assert_eq!(taken_for_it(30, others), (0, 89 * ways), "{others} others");
        }
    }

    #[test]
    fn a_way_is_gone_again_only_from_where_the_other_is_known() {
        assert_eq!(taken_for_it(140, 1), (0, 199 + 199 - ASKED_EACH));
    }

    #[test]
    fn who_goes_by_later_is_the_subject_only_where_it_looks_like_it() {
        assert!(seen_later(1.0) >= 10, "it is back, and found where it is looked for far away");
        assert_eq!(seen_later(0.4), 0, "somebody in like clothes");
    }
}
