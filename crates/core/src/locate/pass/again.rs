//! A second look where the way was doubtful: with what was learned since, and between two places at which it was not.

use std::ops::Range;

use super::{BETWEEN, Pass, TAKEN};
use crate::geometry::Point;
use crate::image::FrameSource;
use crate::locate::beam::Candidate;
use crate::locate::second_look::SecondLook;
use crate::locate::sighting::Sighting;

/// A step that costs more is doubtful: it is where it was seen neither plainly nor where it should be.
const DOUBTFUL: f64 = 1.0;
/// What is seen at the second look has to be plain, so it may cost half of that, and so much less than what was taken.
const PLAIN: f64 = 0.5;
const GAIN: f64 = 0.3;
/// Nearer than this share of the box is what was taken.
const SAME: f64 = 0.2;
/// Looks between two places at most.
const MOST_LOOKS: usize = 4;

impl Pass<'_> {
    /// Looks again at doubtful frames between two on which it was seen without doubt.
    pub fn look_again<S: FrameSource>(&mut self, source: &mut S) -> Result<(), S::Error> {
        // A part of the scene is where it was.
        if self.is_background() || self.memory.stays.is_some() {
            return Ok(());
        }
        let way = self.way();
        let pictures: Vec<usize> = (0..way.len()).filter(|i| !self.notes[*i].copied).collect();
        let is_sure = |i: usize| way[i].seen && way[i].cost <= DOUBTFUL;
        let mut sure: Option<usize> = None;
        for (n, &i) in pictures.iter().enumerate() {
            if is_sure(i) {
                sure = Some(n);
                continue;
            }
            let Some(before) = sure.filter(|before| n - before <= BETWEEN) else { continue };
            let later = pictures[n..].iter().take(BETWEEN + before - n);
            let Some(&after) = later.into_iter().find(|i| is_sure(**i)) else { continue };
            if way[i].seen && self.notes[i].asked.is_none() {
                let second = self.second_look(source, (i, &way[i]), [&way[pictures[before]], &way[after]])?;
                let end = pictures.get(n + 1).copied().unwrap_or(way.len());
                self.mend(i..end, second);
            }
        }
        Ok(())
    }

    /// Notes what was seen at the second look of a picture, and so of its copies, which cost nothing.
    fn mend(&mut self, shown: Range<usize>, second: Option<SecondLook>) {
        let asked = Some(self.notes.len());
        let of_copy = second.map(|second| SecondLook { cost: 0.0, ..second });
        for note in &mut self.notes[shown] {
            note.asked = asked;
            note.second = if note.copied { of_copy } else { second };
        }
    }

    /// What is seen on a frame between two others, if it is plainly better than what was taken.
    fn second_look<S: FrameSource>(
        &mut self,
        source: &mut S,
        (step, taken): (usize, &Sighting),
        [before, after]: [&Sighting; 2],
    ) -> Result<Option<SecondLook>, S::Error> {
        let scale = self.memory.scale;
        self.memory.scale = (before.scale * after.scale).sqrt();
        let (side, way) = (self.side(), after.at - before.at);
        let looks = ((way.length() / side).ceil() as usize).clamp(1, MOST_LOOKS);
        let along = |i: usize| before.at + way * ((i as f64 + 0.5) / looks as f64);
        let places: Vec<Point> = (0..looks).map(along).collect();
        let mut candidates = Vec::new();
        self.look(source, taken.frame, &places, &mut candidates)?;
        self.memory.scale = scale;
        let is_other =
            |found: &Candidate| self.notes[step].others.iter().any(|at| at.distance(found.at) <= TAKEN * side);
        candidates.retain(|found| !is_other(found));
        let cost = |found: &Candidate| found.cost() + off_the_way(found.at, before.at, way) / side;
        let best = candidates.iter().min_by(|a, b| cost(a).total_cmp(&cost(b))).copied();
        let is_taken = |found: &&Candidate| found.at.distance(taken.at) < SAME * side;
        let least = candidates.iter().filter(is_taken).map(cost).fold(f64::INFINITY, f64::min);
        let better = best.filter(|best| cost(best) < PLAIN.min(least - GAIN));
        Ok(better.map(|found| SecondLook { taken: taken.at, found, cost: cost(&found) }))
    }
}

/// How far a place is from the straight way between two others, in pixels.
fn off_the_way(at: Point, from: Point, way: Point) -> f64 {
    let off = at - from;
    let share = (off.x * way.x + off.y * way.y) / (way.x * way.x + way.y * way.y).max(1e-9);
    off.distance(way * share.clamp(0.0, 1.0))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::image::{Plane, PlaneStack, Scene, SceneFinder};
    use crate::locate::pass::Mark;
    use crate::locate::view::View;
    use crate::locate::{Film, Settings};
    use crate::time::{Frame, FrameRange};

    const SIZE: Size = Size::new(320, 200);

    fn chance(a: f64, b: f64) -> f64 {
        ((a.floor() * 12.9898 + b.floor() * 78.233).sin() * 43_758.545).fract().abs()
    }

    /// A card that goes by before a wall, or the wall alone.
    fn picture(card: Option<Point>) -> Plane {
        Plane::from_fn(SIZE, |col, row| {
            let at = Point::new(f64::from(col) + 0.5, f64::from(row) + 0.5);
            let on_card = card.map(|card| at - card).filter(|off| off.x.abs() < 20.0 && off.y.abs() < 20.0);
            let wall = || chance(at.x / 17.0, at.y / 13.0 + 50.0);
            let light = on_card.map_or_else(wall, |off| chance(off.x / 6.0, off.y / 6.0));
            (60.0 + 130.0 * light) as u8
        })
    }

    fn place(n: u32) -> Point {
        Point::new(60.0 + 5.0 * f64::from(n), 100.0)
    }

    fn seen_in(planes: &[Plane]) -> Scene {
        let mut finder = SceneFinder::default();
        planes.iter().for_each(|plane| finder.push(plane));
        finder.finish()
    }

    fn all_of(scene: &Scene) -> View<'_> {
        let part = FrameRange { first: Frame(0), last: Frame(scene.len() as u32 - 1) };
        View::new(Film { scene, part }, SIZE, Settings::default())
    }

    /// The way through all frames but the first.
    fn gone<'a>(view: &'a View<'a>, source: &mut PlaneStack) -> Pass<'a> {
        let mut pass = Pass::start(source, view, (Frame(0), place(0)), None).unwrap();
        view.part.frames().skip(1).for_each(|frame| pass.step(source, frame, false, &[]).unwrap());
        pass
    }

    #[test]
    fn what_was_taken_beside_it_is_mended_and_what_was_right_stays() {
        let mut planes: Vec<Plane> = (0..24).map(|n| picture(Some(place(n)))).collect();
        planes[16] = picture(None);
        let scene = seen_in(&planes);
        let (view, mut source) = (all_of(&scene), PlaneStack::new(planes).unwrap());
        let mut pass = gone(&view, &mut source);
        let way = pass.way();
        let mut again = |taken: &Sighting| {
            let i = taken.frame.0 as usize - 1;
            pass.second_look(&mut source, (i, taken), [&way[i - 2], &way[i + 2]]).unwrap()
        };
        let beside = Sighting { at: way[6].at + Point::new(18.0, 0.0), cost: 1.5, ..way[6] };
        let second = again(&beside).expect("it is plainly seen where it is");
        assert!(second.on(beside).at.distance(place(7)) < 1.5 && second.on(beside).cost < PLAIN);
        assert_eq!(second.on(way[6]), way[6], "the way may have gone elsewhere meanwhile");
        assert!(again(&way[6]).is_none(), "it was right");
        assert!(again(&Sighting { seen: true, ..way[15] }).is_none(), "there is only the wall");
        pass.notes[6].others = vec![place(7)];
        let second = pass.second_look(&mut source, (6, &beside), [&way[4], &way[8]]).unwrap();
        assert!(second.is_none(), "it is somebody else");
    }

    /// On this one of the pictures, each shown three times, the card is hardly there.
    const FAINT: u32 = 8;

    fn faint_once() -> Vec<Plane> {
        let wall = picture(None);
        let faint = |plain: Plane| {
            let light = |of: &Plane, col: u32, row: u32| f64::from(of.row(row as usize)[col as usize]);
            Plane::from_fn(SIZE, |col, row| (0.2 * light(&plain, col, row) + 0.8 * light(&wall, col, row)) as u8)
        };
        let shown = |n: u32| picture(Some(place(n)));
        (0..72).map(|n| if n / 3 == FAINT { faint(shown(FAINT)) } else { shown(n / 3) }).collect()
    }

    fn asked(pass: &Pass<'_>) -> Vec<u32> {
        pass.notes.iter().filter(|note| note.asked.is_some()).map(|note| note.frame.0).collect()
    }

    #[test]
    fn a_doubtful_picture_is_looked_at_again_with_its_copies_and_going_back_forgets_that() {
        let planes = faint_once();
        let scene = seen_in(&planes);
        let (view, mut source) = (all_of(&scene), PlaneStack::new(planes).unwrap());
        let mut pass = gone(&view, &mut source);
        pass.look_again(&mut source).unwrap();
        let shown = [0, 1, 2].map(|copy| 3 * FAINT + copy);
        assert_eq!(asked(&pass), shown);
        let now = pass.mark();
        pass.back_to(&now);
        assert_eq!(asked(&pass), shown, "it was known then");
        let earlier = Mark { steps: 50, ..now };
        pass.back_to(&earlier);
        assert!(asked(&pass).is_empty(), "it was not");
    }

    #[test]
    fn copies_of_a_picture_that_was_mended_are_where_it_is_and_cost_nothing() {
        let planes = faint_once();
        let scene = seen_in(&planes);
        let (view, mut source) = (all_of(&scene), PlaneStack::new(planes).unwrap());
        let mut pass = gone(&view, &mut source);
        let (way, first) = (pass.way(), 3 * FAINT as usize - 1);
        let found = Candidate { at: place(9), likeness: 1.0, plate: 0.0, strange: 0.0, scale: 1.0 };
        pass.mend(first..first + 3, Some(SecondLook { taken: way[first].at, found, cost: 0.4 }));
        let mended = pass.way();
        assert!(mended[first..first + 3].iter().all(|sighting| sighting.at == place(9)));
        assert_eq!([0, 1, 2].map(|copy| mended[first + copy].cost), [0.4, 0.0, 0.0]);
        assert_eq!((&mended[..first], &mended[first + 3..]), (&way[..first], &way[first + 3..]));
    }

    #[test]
    fn beyond_both_ends_it_is_off_the_way() {
        let (from, way) = (Point::new(10.0, 10.0), Point::new(20.0, 0.0));
        for (at, off) in [((15.0, 13.0), 3.0), ((35.0, 10.0), 5.0), ((7.0, 6.0), 5.0)] {
            assert!((off_the_way(Point::new(at.0, at.1), from, way) - off).abs() < 1e-9, "{at:?}");
        }
        assert_eq!(off_the_way(from, from, Point::default()), 0.0, "it may stand");
    }
}
