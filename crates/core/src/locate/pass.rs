//! One way through the film: looked at frame by frame, learned from what is believed.

use super::beam::{Beam, Candidate, Passage, State};
use super::channels::{COLOURED, Channels, GREY, Neighbourhood};
use super::filter::{Filter, Response, Workbench};
use super::memory::{Keys, Usual};
use super::response::{near_middle, normal, peaks};
use super::{Known, Settings, View};
use crate::geometry::{PixelRect, Point, Rect};
use crate::image::{CameraMove, Component, FrameSource, Plate, Scene, Window};
use crate::matching::Template;
use crate::time::Frame;

/// The neighbourhood is so many boxes wide.
const AROUND: f64 = 2.0;
/// Rate of learning: the filter is mostly what the last fifty believed frames and the click were.
const RATE: f32 = 0.02;
/// Places looked at a frame.
const MOST_LOOKS: usize = 3;
/// Places nearer than this share of the box are seen in one look.
const ONE_LOOK: f64 = 0.35;
/// States this much worse than the best are not looked for.
const HOPELESS: f64 = 4.0;
/// Distance of the ring that is searched too when little is known, in boxes, and the number of looks on it.
const RING: f64 = 1.4;
const RING_LOOKS: usize = 8;
/// Hidden frames after which the ring is searched.
const RING_AFTER: u32 = 5;
/// Cost of a way above which it is looked further away, too.
const PLAIN: f64 = 0.7;
/// So many boxes wide is that area, and a box so many samples.
const LEAP_AREA: f64 = 5.0;
const LEAP_SAMPLES: usize = 16;
/// The area grows by so many boxes with each hidden frame, at most to this; when it is wide, only every so many frames are searched.
const LEAP_WIDER: f64 = 0.2;
const LEAP_WIDEST: f64 = 22.0;
const LEAP_OFTEN: usize = 8;
const LEAP_EVERY: u32 = 8;
/// Places that are looked at there, and the correlation that makes one.
const LEAPS: usize = 3;
const LEAP_ALIKE: f32 = 0.5;
/// Less than this share of the usual response is nothing.
const NOTHING: f64 = 0.25;
/// Learned is what responds at least so much, as a share of the usual ...
const LEARNED_ABOVE: f64 = 0.6;
/// ... or so much where nothing speaks against it.
const LEARNED_THIN: f64 = 0.42;
/// ... and by this much cheaper than any way elsewhere.
const LEARNED_MARGIN: f64 = 0.5;
/// And of which at least this share is inside the picture.
const LEARNED_INSIDE: f64 = 0.8;
/// Steps of size that are tried, and by how much a change has to be better.
const GROWTH: f64 = 1.03;
const GROWTH_GAIN: f32 = 1.015;
/// Sizes tried after so many hidden frames, and how much less a place must cost with one.
const REGROWTH: [f64; 4] = [0.8, 0.9, 1.12, 1.25];
const REGROW_AFTER: u32 = 3;
const REGROWTH_GAIN: f64 = 0.1;
/// Size as a share of the first.
const SMALLEST: f64 = 0.25;
const LARGEST: f64 = 8.0;
/// The empty scene: a subject before it differs from it by at least this at the click, a part of it by less than that.
const IN_FRONT: f64 = 0.25;
const BACKGROUND: f64 = 0.12;
/// A place that differs by this share of what the subject did is not the empty scene.
const PLAINLY_IN_FRONT: f64 = 0.6;
/// Cost of looking like the empty scene, and for a part of the scene of not looking like it.
const EMPTY: f64 = 2.0;
const COVERED: f64 = 3.0;
/// A part of the scene stays where it is, to this share of its box.
const STAYS: f64 = 0.25;
/// A part of the scene that is not covered differs by no more than this from what it was at the click; with so much more it is covered.
const UNCHANGED: f64 = 0.1;
const CHANGED: f64 = 0.4;
/// Nearer than this share of the box to somebody else, it is somebody else.
const TAKEN: f64 = 0.4;
/// First frames that tell the velocity.
pub(super) const EARLY: usize = 6;
/// Rate at which a place that a person has set is learned: it is as good as ten that were found. And the sizes it may have there.
const TAUGHT: f32 = 0.2;
const TAUGHT_SIZES: [f64; 5] = [0.5, 0.71, 1.0, 1.41, 2.0];
/// Seen frames after a return that are learned only when they look like a key picture.
const WARY: u32 = 8;
const WARY_ABOVE: f64 = 0.5;

/// What was seen of the subject on a frame.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sighting {
    /// Which frame.
    pub frame: Frame,
    /// Where it is, or may be while it is hidden.
    pub at: Point,
    /// Response over the usual one; 0 while it is hidden.
    pub likeness: f64,
    /// Size over the size at the start.
    pub growth: f64,
    /// Whether it is seen.
    pub seen: bool,
    /// Whether the frame was learned from.
    pub learned: bool,
    /// What this frame costs on the way: 1 is a hidden one.
    pub cost: f64,
}

/// Follows from a start; frames are handed over in the order of going.
pub(super) struct Pass<'a> {
    scene: &'a Scene,
    plate: Option<&'a Plate>,
    settings: Settings,
    inside: PixelRect,
    picture: Rect,
    side: f64,
    growth: f64,
    bench: Workbench,
    channels: Channels,
    response: Response,
    filter: Filter,
    usual: Usual,
    beam: Beam,
    start: Point,
    copies: u32,
    frame: Frame,
    /// Difference of the click from the empty scene.
    in_front: Option<f64>,
    keys: Keys,
    wary: u32,
    /// As it was clicked on, when it was last believed, and when it was last seen.
    clicked: Option<Template>,
    believed: Option<Template>,
    newest: Option<Template>,
    notes: Vec<Note>,
}

/// What is noted of a frame for the report.
struct Note {
    frame: Frame,
    growth: f64,
    likeness: Vec<f64>,
    learned: bool,
}

impl<'a> Pass<'a> {
    /// Starts where the subject is known to be.
    pub fn start<S: FrameSource>(
        source: &mut S,
        view: &'a View<'a>,
        (frame, at): (Frame, Point),
        velocity: Option<Point>,
    ) -> Result<Self, S::Error> {
        let View { scene, inside, ref plate, side, settings } = *view;
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
            inside,
            picture,
            side,
            growth: 1.0,
            bench: Workbench::new(),
            channels: Channels::default(),
            response: Response::new(),
            filter: Filter::new(GREY),
            usual: Usual::default(),
            beam: Beam::new(picture, side, at, velocity, settings),
            start: at,
            copies: 0,
            frame,
            in_front: None,
            keys: Keys::default(),
            wary: 0,
            clicked: None,
            believed: None,
            newest: None,
            notes: Vec::new(),
        };
        let of = pass.around(at);
        let windows = pass.windows(source, frame, &of)?;
        pass.filter = Filter::new(if windows.len() > 1 { COLOURED } else { GREY });
        pass.channels.make(&windows, &of);
        pass.bench.load(&pass.channels);
        pass.bench.learn(&mut pass.filter, 1.0);
        pass.bench.response(&pass.filter, &mut pass.response);
        pass.usual.first = f64::from(pass.response[0]);
        pass.in_front = pass.plate.and_then(|plate| plate.difference(&windows[0], at, side));
        pass.clicked = pass.template(&windows[0], at);
        pass.newest.clone_from(&pass.clicked);
        pass.keys.first = Keys::picture(&windows[0], at, side);
        Ok(pass)
    }

    /// Side of the box as it is now, in pixels.
    fn side(&self) -> f64 {
        self.side * self.growth
    }

    fn around(&self, middle: Point) -> Neighbourhood {
        Neighbourhood { middle, side: self.side() * AROUND }
    }

    fn windows<S: FrameSource>(
        &self,
        source: &mut S,
        frame: Frame,
        of: &Neighbourhood,
    ) -> Result<Vec<Window>, S::Error> {
        let rect = of.rect();
        let inside = self.inside;
        let clamped = |at: i32, first: i32, last: i32| at.clamp(first, last);
        let left = clamped(rect.left, inside.left, inside.right - 1);
        let top = clamped(rect.top, inside.top, inside.bottom - 1);
        let right = clamped(rect.right, left + 1, inside.right);
        let bottom = clamped(rect.bottom, top + 1, inside.bottom);
        source.windows(frame, PixelRect { left, top, right, bottom }, &[Component::Luma])
    }

    /// Learns from another place where it is known to be, at the size at which it looks most like itself.
    pub fn teach<S: FrameSource>(&mut self, source: &mut S, known: &Known) -> Result<(), S::Error> {
        let (mut most, mut kept) = (0.0, Vec::new());
        for growth in TAUGHT_SIZES {
            self.growth = growth;
            let of = self.around(known.at);
            let windows = self.windows(source, known.frame, &of)?;
            self.channels.make(&windows, &of);
            self.bench.load(&self.channels);
            self.bench.response(&self.filter, &mut self.response);
            let response = near_middle(&self.response);
            if kept.is_empty() || response > most {
                most = response;
                kept.clone_from(&self.bench.spectra);
            }
        }
        self.growth = 1.0;
        self.bench.spectra.clone_from(&kept);
        self.bench.learn(&mut self.filter, TAUGHT);
        let side = self.side();
        let window = &self.windows(source, known.frame, &self.around(known.at))?[0];
        self.keys.add(Keys::picture(window, known.at, side));
        Ok(())
    }

    /// Goes on to a frame next to the one before; a person may say that it cannot be seen there.
    pub fn step<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        is_hidden: bool,
        taken: &[Point],
    ) -> Result<(), S::Error> {
        let later = self.frame.max(frame);
        if self.settings.copies && !is_hidden && self.scene.is_copy(later) {
            self.beam.stand_still();
            self.copies += 1;
            let likeness = self.notes.last().map_or(Vec::new(), |note| note.likeness.clone());
            self.notes.push(Note { frame, growth: self.growth, likeness, learned: false });
            self.frame = frame;
            return Ok(());
        }
        // A camera that has an empty scene stands still; what little is measured is the noise of measuring, and adds up.
        let moves = self.settings.camera && self.plate.is_none();
        let camera = if moves { self.scene.camera(self.frame, frame) } else { CameraMove::NONE };
        let pace = if self.settings.pace { self.scene.pace(later) } else { 1.0 };
        let passage = Passage { camera, pace, copies: self.copies };
        self.copies = 0;
        self.frame = frame;
        let mut candidates = if is_hidden { Vec::new() } else { self.candidates(source, frame, &passage)? };
        if self.is_background() {
            candidates.retain(|candidate| candidate.at.distance(self.start) < STAYS * self.side());
        }
        let apart = TAKEN * self.side();
        candidates.retain(|candidate| taken.iter().all(|other| other.distance(candidate.at) > apart));
        self.beam.side = self.side();
        self.beam.advance(&candidates, &passage);
        let likeness = candidates.iter().map(|candidate| candidate.likeness).collect();
        self.notes.push(Note { frame, growth: self.growth, likeness, learned: false });
        self.learn(source, frame, &candidates)
    }

    fn candidates<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        passage: &Passage,
    ) -> Result<Vec<Candidate>, S::Error> {
        let mut candidates: Vec<Candidate> = Vec::new();
        let places = self.places(passage);
        self.look(source, frame, &places, &mut candidates)?;
        if self.is_in_doubt(&candidates, passage) {
            let leaps = self.leaps(source, frame, passage)?;
            let apart = ONE_LOOK * self.side();
            let new: Vec<Point> =
                leaps.into_iter().filter(|leap| places.iter().all(|at| at.distance(*leap) > apart)).collect();
            self.look(source, frame, &new, &mut candidates)?;
        }
        if self.settings.scale && self.beam.states()[0].hidden_for >= REGROW_AFTER {
            self.regrow(source, frame, &mut candidates, passage)?;
        }
        candidates.sort_by(|a, b| a.cost().total_cmp(&b.cost()));
        Ok(candidates)
    }

    /// Who comes back may have grown meanwhile: other sizes are tried where the subject most likely is.
    fn regrow<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        candidates: &mut [Candidate],
        passage: &Passage,
    ) -> Result<(), S::Error> {
        let state = self.beam.states()[0];
        let cost = |candidate: &Candidate| candidate.cost() + self.beam.way_cost(&state, candidate.at, passage);
        let Some(best) = candidates.iter_mut().min_by(|a, b| cost(a).total_cmp(&cost(b))) else { return Ok(()) };
        let now = self.growth;
        for step in REGROWTH {
            self.growth = (now * step).clamp(SMALLEST, LARGEST);
            let mut again: Vec<Candidate> = Vec::new();
            self.look(source, frame, &[best.at], &mut again)?;
            let near = again.into_iter().filter(|other| other.at.distance(best.at) < ONE_LOOK * self.side());
            let better = near.filter(|other| other.cost() + REGROWTH_GAIN < best.cost());
            if let Some(better) = better.min_by(|a, b| a.cost().total_cmp(&b.cost())) {
                *best = better;
            }
        }
        self.growth = now;
        Ok(())
    }

    /// Whether nothing that was seen is plainly the subject where it was expected.
    fn is_in_doubt(&self, candidates: &[Candidate], passage: &Passage) -> bool {
        let state = &self.beam.states()[0];
        let cost = |candidate: &Candidate| candidate.cost() + self.beam.way_cost(state, candidate.at, passage);
        let least = candidates.iter().map(cost).fold(f64::INFINITY, f64::min);
        self.settings.leaps && (!state.has_velocity || state.hidden_for > 0 || least > PLAIN)
    }

    /// Where else something looks like the subject did when it was last seen: correlation over a wide area, small.
    fn leaps<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        passage: &Passage,
    ) -> Result<Vec<Point>, S::Error> {
        let state = self.beam.states()[0];
        let boxes = (LEAP_AREA + LEAP_WIDER * f64::from(state.hidden_for)).min(LEAP_WIDEST) as usize;
        if boxes > LEAP_OFTEN && !frame.0.is_multiple_of(LEAP_EVERY) {
            return Ok(Vec::new());
        }
        let middle = if boxes as f64 >= LEAP_WIDEST { self.picture.middle() } else { state.predicted(passage)[1] };
        let wide = boxes as f64 * self.side();
        let of = Neighbourhood { middle, side: wide };
        let windows = self.windows(source, frame, &of)?;
        let across = LEAP_SAMPLES * boxes;
        let area = super::channels::samples(&windows[0], &of, across);
        let count = across - LEAP_SAMPLES + 1;
        let step = wide / across as f64;
        let place = |i: usize| {
            let offset = |at: usize| (at as f64 - (count - 1) as f64 / 2.0) * step;
            middle + Point::new(offset(i % count), offset(i / count))
        };
        let templates = if state.hidden_for == 0 { [&self.newest, &None] } else { [&self.believed, &self.clicked] };
        let mut all: Vec<(f32, usize)> = Vec::new();
        for template in templates.into_iter().flatten() {
            let surface = template.surface(&area, across);
            all.extend(
                surface.iter().enumerate().filter(|(_, score)| **score > LEAP_ALIKE).map(|(i, score)| (*score, i)),
            );
        }
        all.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        let mut leaps: Vec<Point> = Vec::new();
        for (_, i) in all {
            let at = place(i);
            if leaps.len() < LEAPS && leaps.iter().all(|other| other.distance(at) > ONE_LOOK * self.side()) {
                leaps.push(at);
            }
        }
        Ok(leaps)
    }

    fn look<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        places: &[Point],
        candidates: &mut Vec<Candidate>,
    ) -> Result<(), S::Error> {
        for &at in places {
            let of = self.around(at);
            let windows = self.windows(source, frame, &of)?;
            self.channels.make(&windows, &of);
            self.bench.load(&self.channels);
            self.bench.response(&self.filter, &mut self.response);
            for (offset, response) in peaks(&self.response) {
                let place = at + offset * of.cell();
                let inside = self.inside(place);
                let likeness = f64::from(response) / inside.max(0.5) / self.usual.level();
                let near = candidates.iter().position(|c| c.at.distance(place) < 0.1 * self.side());
                if likeness < NOTHING || !self.picture.contains(place) {
                    continue;
                }
                let window = &windows[0];
                let candidate = Candidate {
                    at: place,
                    likeness,
                    plate: self.plate_cost(window, place),
                    strange: if self.settings.strange {
                        self.keys.strangeness(window, place, self.side())
                    } else {
                        0.0
                    },
                    growth: self.growth,
                };
                match near {
                    Some(other) if candidates[other].likeness < likeness => candidates[other] = candidate,
                    Some(_) => {}
                    None => candidates.push(candidate),
                }
            }
        }
        Ok(())
    }

    /// Where to look.
    fn places(&self, passage: &Passage) -> Vec<Point> {
        let states = self.beam.states();
        let best = states[0].cost;
        let mut places: Vec<Point> = Vec::new();
        let apart = ONE_LOOK * self.side();
        let mut add = |place: Point, most: usize| {
            if places.len() < most && places.iter().all(|other| other.distance(place) > apart) {
                places.push(place);
            }
        };
        let hopeful = || states.iter().filter(|state| state.cost < best + HOPELESS);
        for state in hopeful() {
            let [by_pace, by_step] = state.predicted(passage);
            add(by_pace, MOST_LOOKS);
            add(by_step, MOST_LOOKS);
        }
        for state in hopeful() {
            add(passage.camera.apply(state.at), MOST_LOOKS);
        }
        if self.settings.ring && (self.beam.steps() == 0 || states[0].hidden_for >= RING_AFTER) {
            let middle = states[0].predicted(passage)[1];
            for i in 0..RING_LOOKS {
                let angle = std::f64::consts::TAU * i as f64 / RING_LOOKS as f64;
                add(middle + Point::new(angle.cos(), angle.sin()) * (RING * self.side()), MOST_LOOKS + RING_LOOKS);
            }
        }
        places
    }

    /// Share of the box that is inside the picture, its middle counting most.
    fn inside(&self, at: Point) -> f64 {
        // A Gaussian of a quarter of the box, in each direction apart.
        let deviation = self.side() / 4.0;
        let share = |at: f64, first: f64, last: f64| normal((last - at) / deviation) - normal((first - at) / deviation);
        let Rect { left, top, right, bottom } = self.picture;
        share(at.x, left, right) * share(at.y, top, bottom)
    }

    fn template(&self, window: &Window, at: Point) -> Option<Template> {
        let of = Neighbourhood { middle: at, side: self.side() };
        Template::new(super::channels::samples(window, &of, LEAP_SAMPLES), LEAP_SAMPLES, LEAP_SAMPLES)
    }

    fn plate_cost(&self, window: &Window, at: Point) -> f64 {
        let (Some(plate), Some(first)) = (self.plate, self.in_front) else { return 0.0 };
        let Some(different) = plate.difference(window, at, self.side()) else { return 0.0 };
        match first {
            IN_FRONT.. => EMPTY * (1.0 - different / (PLAINLY_IN_FRONT * first)).clamp(0.0, 1.0),
            ..BACKGROUND => COVERED * ((different - first - UNCHANGED) / CHANGED).clamp(0.0, 1.0),
            // It may be either.
            _ => 0.0,
        }
    }

    fn learn<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        candidates: &[Candidate],
    ) -> Result<(), S::Error> {
        let states = self.beam.states();
        let best: State = states[0];
        let Some(index) = best.candidate else {
            if best.hidden_for >= 2 {
                self.wary = WARY;
            }
            return Ok(());
        };
        let candidate = candidates[index];
        self.growth = candidate.growth;
        if candidate.likeness > LEARNED_THIN {
            let of = Neighbourhood { middle: candidate.at, side: self.side() };
            let windows = self.windows(source, frame, &of)?;
            self.newest = self.template(&windows[0], candidate.at);
        }
        let elsewhere = states.iter().filter(|state| state.at.distance(best.at) > 0.3 * self.side());
        let rival = elsewhere.map(|state| state.cost).fold(f64::INFINITY, f64::min);
        let is_clear = rival > best.cost + LEARNED_MARGIN;
        let no_rival_near = rival > best.cost + 2.0 * LEARNED_MARGIN;
        let least = if no_rival_near && self.wary == 0 { LEARNED_THIN } else { LEARNED_ABOVE };
        let is_known = self.wary == 0 || candidate.strange < 1.0 - WARY_ABOVE;
        self.wary = self.wary.saturating_sub(1);
        if !is_clear || candidate.likeness < least || !is_known || self.inside(candidate.at) < LEARNED_INSIDE {
            return Ok(());
        }
        self.usual.accept(candidate.likeness * self.usual.level());
        let steps = if self.settings.scale { &[0, -1, 1][..] } else { &[0] };
        let (mut best_response, mut best_growth) = (0.0, self.growth);
        let mut kept = Vec::new();
        let now = self.growth;
        for step in steps {
            self.growth = (now * GROWTH.powi(*step)).clamp(SMALLEST, LARGEST);
            let of = self.around(candidate.at);
            let windows = self.windows(source, frame, &of)?;
            self.channels.make(&windows, &of);
            self.bench.load(&self.channels);
            if steps.len() == 1 {
                best_growth = self.growth;
                kept = self.bench.spectra.clone();
                break;
            }
            self.bench.response(&self.filter, &mut self.response);
            let response = near_middle(&self.response);
            if *step == 0 || response > best_response * GROWTH_GAIN {
                (best_response, best_growth) = (response, self.growth);
                kept.clone_from(&self.bench.spectra);
            }
        }
        self.growth = best_growth;
        self.bench.spectra.clone_from(&kept);
        self.bench.learn(&mut self.filter, RATE);
        if let Some(note) = self.notes.last_mut() {
            note.learned = true;
        }
        let of = self.around(candidate.at);
        let windows = self.windows(source, frame, &of)?;
        self.believed = self.template(&windows[0], candidate.at);
        self.keys.add(Keys::picture(&windows[0], candidate.at, self.side()));
        Ok(())
    }

    /// What was seen on all frames gone through, on the best way.
    pub fn finish(&self) -> Vec<Sighting> {
        let way = self.beam.best_way();
        let mut before = 0.0;
        let mut sighting = |(state, note): (&State, &Note)| {
            let cost = state.cost - before;
            before = state.cost;
            Sighting {
                frame: note.frame,
                at: state.at,
                likeness: state.candidate.and_then(|index| note.likeness.get(index)).copied().unwrap_or(0.0),
                growth: note.growth,
                seen: state.candidate.is_some(),
                learned: note.learned,
                cost,
            }
        };
        way.iter().zip(&self.notes).map(&mut sighting).collect()
    }

    /// Whether the click was on the empty scene itself.
    pub fn is_background(&self) -> bool {
        self.in_front.is_some_and(|different| different < BACKGROUND)
    }

    /// Pixels a frame over the first frames on which it was seen; `None` when it was not seen on most of them.
    pub fn early_velocity(&self) -> Option<Point> {
        let way = self.beam.best_way();
        let seen = way.iter().take(EARLY).enumerate().filter(|(_, state)| state.candidate.is_some());
        let seen: Vec<(usize, Point)> = seen.map(|(i, state)| (i, state.at)).collect();
        let (last, at) = *seen.last()?;
        (seen.len() * 2 > EARLY).then(|| (at - self.start) * (1.0 / (last + 1) as f64))
    }
}
