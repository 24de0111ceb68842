//! One way through the film: looked at frame by frame, learned from what is believed.

mod again;
mod ground;
mod learn;
mod search;

use super::beam::{Beam, FrameStep, State};
use super::channels::{COLOURED, Channels};
use super::filter::{Filter, Response, Workbench};
use super::memory::{Keys, Memory};
use super::neighbourhood::{Neighbourhood, samples};
use super::response::near_middle;
use super::second_look::SecondLook;
use super::settings::Settings;
use super::sighting::{Known, Sighting};
use super::view::View;
use crate::geometry::{PixelRect, Point, Rect};
use crate::image::{CameraMove, Chroma, Component, FrameSource, Plate, Scene, Window};
use crate::matching::Template;
use crate::time::Frame;

/// The neighbourhood is so many boxes wide.
const AROUND: f64 = 2.0;
/// A box is so many samples wide where it is looked for by correlation.
const LEAP_SAMPLES: usize = 16;
/// Least and largest size as a share of the first.
const SCALES: (f64, f64) = (0.25, 8.0);
/// A part of the scene stays where it is, to this share of its box.
const STAYS: f64 = 0.25;
/// Nearer than this share of the box to somebody else, it is somebody else.
const TAKEN: f64 = 0.4;
/// What responds less on the way is not called seen: more than half of it is something else, or hidden, ...
const HARDLY_SEEN: f64 = 0.4;
/// ... unless it is where those seen plainly before and after say, no more than so many frames apart, to this share of
/// the box and of the way between them.
const BETWEEN: usize = 12;
const ON_THE_WAY: f64 = 0.2;
const ON_A_LONG_WAY: f64 = 0.1;
/// First frames that tell the velocity, copies not counted; with them so many at most.
pub(super) const EARLY: usize = 4;
pub(super) const EARLY_WITH_COPIES: usize = 5 * EARLY;
/// Copies behind the start that count at most.
const MOST_HELD: u32 = 12;
/// Rate at which a place that a person has set is learned: it is as good as ten that were found. And the sizes it may
/// have there.
const TAUGHT: f32 = 0.2;
const TAUGHT_SIZES: [f64; 5] = [0.5, 0.71, 1.0, 1.41, 2.0];

/// Follows from a start; frames are handed over in the order of going.
pub(super) struct Pass<'a> {
    scene: &'a Scene,
    plate: Option<&'a Plate>,
    settings: Settings,
    is_coloured: bool,
    inside: PixelRect,
    picture: Rect,
    side: f64,
    bench: Workbench,
    channels: Channels,
    response: Response,
    start: Point,
    /// For how many frames the picture of the start has been there already, in the direction of going.
    held: u32,
    /// Difference of the click from the empty scene, and in which share of the box.
    in_front: Option<f64>,
    ground_share: f64,
    clicked: Option<Template>,
    memory: Memory,
    beam: Beam,
    notes: Vec<Note>,
}

/// A place on the way from which it can be gone again.
pub(super) struct Mark {
    memory: Memory,
    /// Side of the box by which its ways are judged.
    side: f64,
    /// Frames gone through.
    steps: usize,
}

/// What is noted of a frame for the report.
struct Note {
    frame: Frame,
    /// Of each candidate: response over the usual one, and correlation with what is known.
    looks: Vec<(f64, f64)>,
    learned: bool,
    /// Whether it is a copy of the frame before it.
    copied: bool,
    /// Where others were known to be.
    others: Vec<Point>,
    /// After how many frames it was looked at again, and what was seen instead of what was taken.
    asked: Option<usize>,
    second: Option<SecondLook>,
}

impl Note {
    fn of(frame: Frame, looks: Vec<(f64, f64)>, others: &[Point]) -> Self {
        Self { frame, looks, learned: false, copied: false, others: others.to_vec(), asked: None, second: None }
    }
}

impl<'a> Pass<'a> {
    /// Starts where the subject is known to be.
    pub fn start<S: FrameSource>(
        source: &mut S,
        view: &'a View<'a>,
        (frame, at): (Frame, Point),
        velocity: Option<Point>,
    ) -> Result<Self, S::Error> {
        let View { scene, part, inside, ref plate, side, settings } = *view;
        let picture = Rect {
            left: f64::from(inside.left),
            top: f64::from(inside.top),
            right: f64::from(inside.right),
            bottom: f64::from(inside.bottom),
        };
        let mut pass = Self {
            scene,
            plate: plate.as_ref(),
            settings,
            is_coloured: settings.colour && scene.is_coloured(),
            inside,
            picture,
            side,
            bench: Workbench::new(),
            channels: Channels::default(),
            response: Response::new(),
            start: at,
            held: 0,
            in_front: None,
            ground_share: 1.0,
            clicked: None,
            memory: Memory::new(frame),
            beam: Beam::new(picture, side, at, velocity, settings),
            notes: Vec::new(),
        };
        let of = pass.around(at);
        let (window, chroma) = pass.pixels(source, frame, &of)?;
        if chroma.is_some() {
            pass.memory.filter = Filter::new(COLOURED);
        }
        pass.load(source, frame, at)?;
        pass.bench.learn(&mut pass.memory.filter, 1.0);
        pass.bench.response(&pass.memory.filter, &mut pass.response);
        pass.memory.usual.first = f64::from(pass.response[0]);
        pass.settle_ground(source, (frame, at), part)?;
        pass.beam.is_background = pass.is_background();
        pass.clicked = pass.template(&window, at);
        pass.memory.newest.clone_from(&pass.clicked);
        pass.memory.keys.first = Keys::picture(&window, at, side);
        Ok(pass)
    }

    /// Side of the box as it is now, in pixels.
    fn side(&self) -> f64 {
        self.side * self.memory.scale
    }

    fn around(&self, middle: Point) -> Neighbourhood {
        Neighbourhood { middle, side: self.side() * AROUND }
    }

    /// Brightness of a neighbourhood, and colour, where it counts.
    fn pixels<S: FrameSource>(
        &self,
        source: &mut S,
        frame: Frame,
        of: &Neighbourhood,
    ) -> Result<(Window, Option<Chroma>), S::Error> {
        let rect = of.rect();
        let inside = self.inside;
        let clamped = |at: i32, first: i32, last: i32| at.clamp(first, last);
        let left = clamped(rect.left, inside.left, inside.right - 1);
        let top = clamped(rect.top, inside.top, inside.bottom - 1);
        let right = clamped(rect.right, left + 1, inside.right);
        let bottom = clamped(rect.bottom, top + 1, inside.bottom);
        let rect = PixelRect { left, top, right, bottom };
        let chroma = if self.is_coloured { source.chroma(frame, rect)? } else { None };
        Ok((source.window(frame, rect, Component::Luma)?, chroma))
    }

    /// Takes in what is around a place, and how the filter responds to it.
    fn load<S: FrameSource>(&mut self, source: &mut S, frame: Frame, at: Point) -> Result<Window, S::Error> {
        let of = self.around(at);
        let (window, chroma) = self.pixels(source, frame, &of)?;
        self.channels.make(&window, chroma.as_ref(), &of, self.inside);
        self.bench.load(&self.channels);
        self.bench.response(&self.memory.filter, &mut self.response);
        Ok(window)
    }

    fn template(&self, window: &Window, at: Point) -> Option<Template> {
        let of = Neighbourhood { middle: at, side: self.side() };
        Template::new(samples(window, &of, LEAP_SAMPLES), LEAP_SAMPLES, LEAP_SAMPLES)
    }

    /// Learns from another place where it is known to be, at the size at which it looks most like itself.
    pub fn teach<S: FrameSource>(&mut self, source: &mut S, known: &Known) -> Result<(), S::Error> {
        let (mut most, mut kept) = (0.0, Vec::new());
        for scale in TAUGHT_SIZES {
            self.memory.scale = scale;
            self.load(source, known.frame, known.at)?;
            let response = near_middle(&self.response);
            if kept.is_empty() || response > most {
                most = response;
                kept.clone_from(&self.bench.spectra);
            }
        }
        self.memory.scale = 1.0;
        self.bench.spectra.clone_from(&kept);
        self.bench.learn(&mut self.memory.filter, TAUGHT);
        let (window, _) = self.pixels(source, known.frame, &self.around(known.at))?;
        self.memory.keys.add(Keys::picture(&window, known.at, self.side()));
        Ok(())
    }

    /// From here on it is at this place, or hidden.
    pub fn stay(&mut self, place: Point) {
        self.memory.stays = Some(place);
    }

    /// Frames gone through.
    pub fn steps(&self) -> usize {
        self.notes.len()
    }

    /// Where it stands.
    pub fn mark(&self) -> Mark {
        Mark { memory: self.memory.clone(), side: self.beam.side, steps: self.steps() }
    }

    /// Goes back to where it stood; what it has learned since is forgotten.
    pub fn back_to(&mut self, mark: &Mark) {
        self.memory = mark.memory.clone();
        self.notes.truncate(mark.steps);
        for note in self.notes.iter_mut().filter(|note| note.asked > Some(mark.steps)) {
            (note.asked, note.second) = (None, None);
        }
        self.beam.back_to(mark.steps);
        self.beam.side = mark.side;
    }

    /// Goes on to a frame next to the one before; a person may say that it cannot be seen there.
    pub fn step<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        is_hidden: bool,
        taken: &[Point],
    ) -> Result<(), S::Error> {
        if self.notes.is_empty() && self.settings.copies {
            self.held = self.copies_behind(frame);
            self.memory.copies = self.held;
        }
        let later = self.memory.frame.max(frame);
        if self.settings.copies && !is_hidden && self.scene.is_copy(later) {
            self.beam.stand_still();
            self.memory.copies += 1;
            let looks = self.notes.last().map_or(Vec::new(), |note| note.looks.clone());
            self.notes.push(Note { copied: true, ..Note::of(frame, looks, taken) });
            self.memory.frame = frame;
            return Ok(());
        }
        // A camera that has an empty scene stands still; what little is measured is the noise of measuring, and adds
        // up.
        let moves = self.settings.camera && self.plate.is_none();
        let camera = if moves { self.scene.camera(self.memory.frame, frame) } else { CameraMove::NONE };
        let pace = if self.settings.pace { self.scene.pace(later) } else { 1.0 };
        let passage = FrameStep { camera, pace, copies: self.memory.copies };
        self.memory.copies = 0;
        self.memory.frame = frame;
        let mut candidates = if is_hidden { Vec::new() } else { self.candidates(source, frame, &passage)? };
        if let Some(place) = self.memory.stays.or(self.is_background().then_some(self.start)) {
            candidates.retain(|candidate| candidate.at.distance(place) < STAYS * self.side());
        }
        let apart = TAKEN * self.side();
        candidates.retain(|candidate| taken.iter().all(|other| other.distance(candidate.at) > apart));
        self.beam.side = self.side();
        self.beam.advance(&candidates, &passage);
        self.memory.scale = self.beam.states()[0].scale;
        let looks = candidates.iter().map(|candidate| (candidate.likeness, 1.0 - candidate.strange)).collect();
        self.notes.push(Note::of(frame, looks, taken));
        self.learn(source, frame, &candidates)
    }

    /// Copies of the frame of the start that lie behind it, on the way to a frame next to it.
    fn copies_behind(&self, towards: Frame) -> u32 {
        let back = if towards > self.memory.frame { -1 } else { 1 };
        let behind = std::iter::successors(Some(self.memory.frame), |frame| frame.step(back));
        let pairs = behind.clone().zip(behind.skip(1));
        pairs.take_while(|(frame, other)| self.scene.is_copy(*frame.max(other))).take(MOST_HELD as usize).count() as u32
    }

    /// What was seen on all frames gone through, on the best way.
    pub fn finish(&self) -> Vec<Sighting> {
        let mut found = self.way();
        doubt_the_weak(&mut found, self.scene, self.side);
        found
    }

    /// The same, as it was taken: also what is hardly seen.
    fn way(&self) -> Vec<Sighting> {
        let way = self.beam.best_way();
        let (mut before, still, clicked) = (0.0, self.is_background(), self.copies_of_start());
        let sighting = |(i, (state, note)): (usize, (&State, &Note))| {
            let cost = state.cost - before;
            before = state.cost;
            // No candidate was chosen on the start, for it is known there.
            let at_start = (i < clicked).then_some((1.0, 1.0));
            let looks = at_start.or_else(|| state.candidate.and_then(|index| note.looks.get(index)).copied());
            let (likeness, known) = looks.unwrap_or((0.0, 0.0));
            let (scale, seen, learned) = (state.scale, looks.is_some(), note.learned);
            let taken =
                Sighting { frame: note.frame, at: state.at, likeness, known, scale, seen, still, learned, cost };
            note.second.map_or(taken, |second| second.on(taken))
        };
        way.iter().zip(&self.notes).enumerate().map(sighting).collect()
    }

    /// Frames next to the start that show the very picture of it.
    fn copies_of_start(&self) -> usize {
        self.notes.iter().take_while(|note| note.copied).count()
    }

    /// Frames gone through that are no copies.
    pub fn distinct(&self) -> usize {
        self.notes.iter().filter(|note| !note.copied).count()
    }

    /// Pixels a frame over all frames gone through; `None` when it was not seen, more than hardly, on most of those that are
    /// no copies.
    pub fn velocity(&self) -> Option<Point> {
        let way = self.beam.best_way();
        let all = way.iter().zip(&self.notes).enumerate();
        let likeness = |state: &State, note: &Note| Some(note.looks.get(state.candidate?)?.0);
        let plain = |state: &State, note: &Note| likeness(state, note).is_some_and(|likeness| likeness > HARDLY_SEEN);
        let seen = all.filter(|(_, (state, note))| plain(state, note) && !note.copied);
        let seen: Vec<(usize, Point)> = seen.map(|(i, (state, _))| (i, state.at)).collect();
        let (last, at) = *seen.last()?;
        let frames = last + 1 + self.held as usize;
        (seen.len() * 2 > self.distinct()).then(|| (at - self.start) * (1.0 / frames as f64))
    }
}

/// Takes what is hardly seen for hidden, unless it is where it should be.
fn doubt_the_weak(found: &mut [Sighting], scene: &Scene, side: f64) {
    let plain: Vec<bool> = found.iter().map(|sighting| sighting.seen && sighting.likeness > HARDLY_SEEN).collect();
    // Frames without copies, and how far the film has gone, so that jumps after copies are steps of their own.
    let (mut count, mut gone) = (0, 0.0);
    let passed: Vec<(usize, f64)> = found
        .iter()
        .map(|sighting| {
            if !scene.is_copy(sighting.frame) {
                (count, gone) = (count + 1, gone + scene.pace(sighting.frame));
            }
            (count, gone)
        })
        .collect();
    let weak: Vec<usize> = (0..found.len()).filter(|i| found[*i].seen && !plain[*i]).collect();
    for i in weak {
        let before = (0..i).rev().find(|j| plain[*j]);
        let after = (i + 1..found.len()).find(|j| plain[*j]);
        let is_on_the_way = before.zip(after).is_some_and(|(a, b)| {
            let way = found[b].at - found[a].at;
            let share = (passed[i].1 - passed[a].1) / (passed[b].1 - passed[a].1).max(1e-6);
            let off = found[i].at.distance(found[a].at + way * share);
            let most = ON_THE_WAY * side * found[i].scale + ON_A_LONG_WAY * way.length();
            passed[b].0 - passed[a].0 <= BETWEEN && off < most
        });
        found[i].seen = is_on_the_way;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::image::{Plane, PlaneStack, SceneFinder};
    use crate::locate::{Film, Side};
    use crate::time::FrameRange;

    fn sighting(n: u32, x: f64, likeness: f64) -> Sighting {
        let at = Point::new(x, 50.0);
        let (scale, seen, still, learned) = (1.0, true, false, false);
        Sighting { frame: Frame(n), at, likeness, known: 0.8, scale, seen, still, learned, cost: 0.2 }
    }

    #[test]
    fn what_is_hardly_seen_counts_only_where_it_should_be() {
        let mut found: Vec<Sighting> = (0..20).map(|n| sighting(n, 5.0 * f64::from(n), 0.9)).collect();
        found[6].likeness = 0.3;
        found[12] = sighting(12, 85.0, 0.3);
        found[19].likeness = 0.3;
        doubt_the_weak(&mut found, &Scene::default(), 25.0);
        let hidden: Vec<u32> = found.iter().filter(|s| !s.seen).map(|s| s.frame.0).collect();
        assert_eq!(hidden, [12, 19], "one is 25 px beside, and after the last nobody says where it should be");
    }

    const SIZE: Size = Size::new(320, 200);
    const LEFT: i32 = 40;

    /// A wall seen through a black border on the left, whose edge is blurred, with a card that walks in from behind it.
    fn frame(n: u32) -> Plane {
        let card = place(n);
        Plane::from_fn(SIZE, |col, row| {
            let (x, y) = (f64::from(col) + 0.5, f64::from(row) + 0.5);
            let (u, v) = (x - card.x, y - card.y);
            let chance = |a: f64, b: f64| ((a.floor() * 12.9898 + b.floor() * 78.233).sin() * 43_758.545).fract().abs();
            let is_card = u.abs() < 20.0 && v.abs() < 20.0;
            let light = if is_card { chance(u / 6.0, v / 6.0) } else { chance(x / 17.0, y / 13.0 + 50.0) };
            let light = 60.0 + 130.0 * light;
            match col as i32 {
                ..LEFT => 15,
                LEFT => (light / 2.0) as u8,
                _ => light as u8,
            }
        })
    }

    fn place(n: u32) -> Point {
        Point::new(f64::from(LEFT) + 4.0 + 5.0 * f64::from(n), 100.0)
    }

    #[test]
    fn a_way_that_is_gone_again_from_a_mark_is_the_same() {
        let mut planes: Vec<Plane> = (0..24).map(frame).collect();
        // Copies, of which no more is known than how many there were.
        planes.insert(9, planes[8].clone());
        let mut finder = SceneFinder::default();
        planes.iter().for_each(|plane| finder.push(plane));
        let (scene, all) = (finder.finish(), FrameRange { first: Frame(0), last: Frame(24) });
        let view = View::new(Film { scene: &scene, part: all }, SIZE, Settings::default());
        let mut source = PlaneStack::new(planes).unwrap();
        let mut pass = Pass::start(&mut source, &view, (Frame(0), place(0)), None).unwrap();
        let mut marks = Vec::new();
        let mut go = |pass: &mut Pass<'_>, until: u32, taken: &[Point]| {
            let next = pass.steps() as u32 + 1;
            (next..until).for_each(|n| pass.step(&mut source, Frame(n), false, taken).unwrap());
        };
        for first in [1, 8, 9, 16] {
            go(&mut pass, first, &[]);
            marks.push(pass.mark());
        }
        go(&mut pass, 25, &[]);
        let found = pass.finish();
        for mark in marks.iter().rev() {
            pass.back_to(mark);
            // Somebody else is where it was seen the first time.
            go(&mut pass, 25, &[found[20].at]);
            assert!(pass.finish() != found, "from {} frames on", mark.steps);
            pass.back_to(mark);
            go(&mut pass, 25, &[]);
            assert_eq!(pass.finish(), found, "from {} frames on", mark.steps);
        }
    }

    #[test]
    fn a_click_beside_a_black_border_does_not_stick_there() {
        let planes: Vec<Plane> = (0..24).map(frame).collect();
        let mut finder = SceneFinder::default();
        planes.iter().for_each(|plane| finder.push(plane));
        let scene = finder.finish();
        let all = FrameRange { first: Frame(0), last: Frame(23) };
        let view = View::new(Film { scene: &scene, part: all }, SIZE, Settings::default());
        assert!(
            !view.contains(Point::new(f64::from(LEFT) + 0.5, 100.0)),
            "the blurred column is no part of the picture"
        );
        let from = Known { frame: Frame(0), at: place(0) };
        let side = Side { from, taught: &[] };
        let frames: Vec<Frame> = (1..24).map(Frame).collect();
        let mut source = PlaneStack::new(planes).unwrap();
        let found = side.sightings(&mut source, &view, &frames, &|_| false, &mut || true).unwrap().unwrap();
        for sighting in &found {
            let off = sighting.at.distance(place(sighting.frame.0));
            assert!(sighting.seen && off < 2.0, "frame {}: {off:.1} px, {sighting:?}", sighting.frame);
        }
    }
}
