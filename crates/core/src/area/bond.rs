//! A face and the thing that it lies on, from frame to frame: whether the two can be where they seem to be.

use super::subject::Subject;
use crate::geometry::Point;
use crate::locate::{OUT_OF_SIGHT, Sighting};
use crate::time::Frame;

/// What comes apart by more than this from one frame to the next, in sides of the thing's box, has not parted: one of the
/// two is another thing. Where the thing was away they may have parted as far before.
const LEAP: f64 = 0.25;

/// Where a face has been aligned.
#[derive(Clone, Copy)]
pub(crate) struct Aligned {
    /// The middle of what was outlined.
    pub middle: Point,
    /// Correlation of the face with what is seen of it, 0 to 1.
    pub matched: f64,
}

/// What is known of the thing while a face is followed.
#[derive(Clone)]
pub(crate) struct Bond<'a> {
    subject: &'a Subject,
    /// Where it is on the frame that is looked at, or should be.
    foreseen: Option<&'a Sighting>,
    /// Its size when the face was last seen, or went with it.
    size: f64,
    /// How far apart the two were when the face was last seen, in sides of the thing's box; nothing where the thing was not.
    apart: Option<f64>,
    /// Whether the thing had leapt away from the face by then.
    has_leapt: bool,
    /// For how many frames neither was seen.
    unseen: u32,
}

impl<'a> Bond<'a> {
    pub fn new(subject: &'a Subject) -> Self {
        Self { subject, foreseen: None, size: 1.0, apart: Some(0.0), has_leapt: false, unseen: 0 }
    }

    /// The middle of what was outlined, in that picture.
    pub fn middle(&self) -> Point {
        self.subject.middle()
    }

    /// The frame that is looked at from now on.
    pub fn look_at(&mut self, frame: Frame) {
        self.foreseen = self.subject.foreseen_on(frame);
        self.unseen += 1;
    }

    /// Whether nobody knows where they are: the thing is not seen either, for too long.
    pub fn is_out_of_sight(&self) -> bool {
        let may_go = self.foreseen.is_some_and(|thing| !thing.still);
        self.sighting().is_none() && self.unseen > OUT_OF_SIGHT && may_go
    }

    /// Whether a face that was lost can come back with its middle there: where the thing is not seen, no further from where
    /// it should be than the face is large.
    pub fn can_come_back(&self, middle: Point) -> bool {
        let is_near = |thing: &Sighting| thing.at.distance(middle) <= self.subject.outlined_side(thing);
        self.sighting().is_some() || self.foreseen.is_none_or(is_near)
    }

    /// Where the thing is there, if it is plainly seen.
    pub fn sighting(&self) -> Option<&'a Sighting> {
        self.foreseen.filter(|thing| Subject::is_plain(thing))
    }

    /// How much larger it is than it was.
    pub fn grown(&self, sighting: &Sighting) -> f64 {
        sighting.scale / self.size
    }

    /// Standard deviation of where it is, in pixels.
    pub fn deviation(&self, sighting: &Sighting) -> f64 {
        self.subject.deviation(sighting)
    }

    /// The face was seen there.
    pub fn seen(&mut self, face: Aligned) {
        self.apart = self.sighting().map(|thing| self.apart_at(thing, face));
        if let Some(thing) = self.sighting() {
            self.has_leapt = !self.is_on(thing, face);
        }
        self.gone_along();
    }

    /// The face was not seen, and went with the thing.
    pub fn gone_along(&mut self) {
        self.size = self.sighting().map_or(self.size, |sighting| sighting.scale);
        self.unseen = 0;
    }

    /// Whether the thing is seen elsewhere than a face that is aligned there. They part bit by bit, and then the face has
    /// slid off: where it is as it always was and the thing has leapt away, it is the thing that was taken for another.
    pub fn is_elsewhere(&self, face: Aligned, as_usual: bool) -> bool {
        let Some(thing) = self.sighting().filter(|thing| !self.is_on(thing, face)) else { return false };
        let before = self.apart.unwrap_or(LEAP);
        let leaps = || self.apart_at(thing, face) > before + LEAP;
        !(as_usual && (self.has_leapt || leaps()))
    }

    fn is_on(&self, thing: &Sighting, face: Aligned) -> bool {
        thing.at.distance(face.middle) <= self.subject.reach(thing, face.matched)
    }

    fn apart_at(&self, thing: &Sighting, face: Aligned) -> f64 {
        thing.at.distance(face.middle) / self.subject.side(thing)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Whether a face that stays where it is is called elsewhere, frame by frame, while the thing is `steps` px to the right
    /// of it; the face is seen wherever it is not.
    fn told(steps: &[f64], matched: f64, as_usual: bool) -> Vec<bool> {
        let middle = Point::new(50.0, 40.0);
        let places: Vec<Point> = steps.iter().map(|right| middle + Point::new(*right, 0.0)).collect();
        let subject = Subject::made(&places, 40.0, middle);
        let (mut bond, face) = (Bond::new(&subject), Aligned { middle, matched });
        (0..places.len() as u32)
            .map(|frame| {
                bond.look_at(Frame(frame));
                let is_elsewhere = bond.is_elsewhere(face, as_usual);
                if !is_elsewhere {
                    bond.seen(face);
                }
                is_elsewhere
            })
            .collect()
    }

    #[test]
    fn they_part_bit_by_bit_and_who_leaps_away_is_another_thing_beside_a_face_that_is_as_it_was() {
        // Two deviations are 2.4 px, and a leap is more than 10.
        let parting = [0.0, 1.0, 2.0, 3.0, 4.0];
        assert_eq!(told(&parting, 0.9, true), [false, false, false, true, true]);
        // What leaves next to nothing open may be off by half of the box.
        assert_eq!(told(&parting, 0.99, true), [false; 5]);
        assert_eq!(told(&[0.0, 8.0, 16.0, 24.0], 0.99, true), [false, false, false, true]);
        let leaping = [0.0, 12.0, 14.0, 200.0, 2.0, 13.0];
        assert_eq!(told(&leaping, 0.9, true), [false; 6]);
        assert_eq!(told(&leaping, 0.9, false), [false, true, true, true, false, true]);
    }

    #[test]
    fn what_was_away_may_have_parted_twice_as_far() {
        let elsewhere_at = |right: f64| {
            let places = [0.0, 0.0, right].map(|right| Point::new(right, 0.0));
            let subject = Subject::made(&places, 40.0, Point::default()).unseen_on(Frame(1), false);
            let (mut bond, face) = (Bond::new(&subject), Aligned { middle: Point::default(), matched: 0.9 });
            for frame in 0..2 {
                bond.look_at(Frame(frame));
                assert!(!bond.is_elsewhere(face, true));
                bond.seen(face);
            }
            bond.look_at(Frame(2));
            bond.is_elsewhere(face, true)
        };
        assert_eq!([2.0, 15.0, 19.0, 21.0].map(elsewhere_at), [false, true, true, false]);
    }

    /// Of a thing at the origin with a box of 40 px that is seen on the first frame only, `count` frames later.
    fn long_after<T>(count: u32, still: bool, ask: impl Fn(&Bond<'_>) -> T) -> T {
        let places = vec![Point::default(); count as usize + 1];
        let subject = (1..=count).fold(Subject::made(&places, 40.0, Point::default()), |subject, frame| {
            subject.unseen_on(Frame(frame), still)
        });
        let mut bond = Bond::new(&subject);
        bond.look_at(Frame(0));
        bond.seen(Aligned { middle: Point::default(), matched: 1.0 });
        (1..=count).for_each(|frame| bond.look_at(Frame(frame)));
        ask(&bond)
    }

    #[test]
    fn nobody_knows_where_it_is_that_was_not_seen_for_a_second_unless_it_stands_still() {
        let is_lost = |count: u32, still: bool| long_after(count, still, |bond| bond.is_out_of_sight());
        assert_eq!([0, 24, 25, 200].map(|count| is_lost(count, false)), [false, false, true, true]);
        assert!(!is_lost(200, true));
    }

    #[test]
    fn a_face_comes_back_no_further_from_where_its_thing_should_be_than_it_is_large() {
        let comes = |right: f64| long_after(3, false, |bond| bond.can_come_back(Point::new(right, 0.0)));
        assert!(comes(39.0) && !comes(41.0));
        let seen = |right: f64| long_after(0, false, |bond| bond.can_come_back(Point::new(right, 0.0)));
        assert!(seen(41.0), "where the thing is seen it says itself what is elsewhere");
    }

    #[test]
    fn it_grows_with_the_thing_only_while_it_goes_along() {
        let subject = Subject::made(&[Point::default(); 3], 40.0, Point::default());
        let mut bond = Bond::new(&subject);
        assert!(bond.sighting().is_none());
        bond.look_at(Frame(1));
        let larger = Sighting { scale: 1.5, ..*bond.sighting().unwrap() };
        assert_eq!(bond.grown(&larger), 1.5);
        bond.foreseen = Some(&larger);
        bond.gone_along();
        assert_eq!(bond.grown(&larger), 1.0);
    }
}
