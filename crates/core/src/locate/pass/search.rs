//! Where on a frame the subject may be.

use super::{LEAP_SAMPLES, Pass, SCALES};
use crate::geometry::Point;
use crate::image::FrameSource;
use crate::locate::beam::{Candidate, FrameStep, State};
use crate::locate::neighbourhood::{Neighbourhood, samples};
use crate::locate::response::peaks;
use crate::time::Frame;

/// Places looked at a frame.
const MOST_LOOKS: usize = 3;
/// Places nearer than this share of the box are seen in one look.
const ONE_LOOK: f64 = 0.35;
/// States this much worse than the best are not looked for.
const SEARCHED_WITHIN: f64 = 4.0;
/// Distance of the ring that is searched too when little is known, in boxes, and the number of looks on it.
const RING: f64 = 1.4;
const RING_LOOKS: usize = 8;
/// Hidden frames after which the ring is searched.
const RING_AFTER: u32 = 5;
/// Cost of a way above which it is looked further away, too.
const PLAIN: f64 = 0.7;
/// So many boxes wide is that area.
const LEAP_AREA: f64 = 5.0;
/// The area grows by so many boxes with each hidden frame, at most to this; when it is wide, only every so many frames
/// are searched.
const LEAP_WIDER: f64 = 0.2;
const LEAP_WIDEST: f64 = 22.0;
const LEAP_OFTEN: usize = 8;
const LEAP_EVERY: u32 = 8;
/// Places that are looked at there, and the correlation that makes one.
const LEAPS: usize = 3;
const LEAP_ALIKE: f32 = 0.5;
/// Less than this share of the usual response is nothing.
const NOTHING: f64 = 0.25;
/// Sizes tried after so many hidden frames, and how much less a place must cost with one.
const REGROWTH: [f64; 4] = [0.8, 0.9, 1.12, 1.25];
const REGROW_AFTER: u32 = 3;
const REGROWTH_GAIN: f64 = 0.1;
/// After so many hidden frames, about a second, it is sought on every so many only: who comes back is seen for more than
/// one. What may already be it is followed on all, and what stood is sought on all. On every fourth was not tried at all
/// starts.
const SELDOM_AFTER: u32 = 24;
const SELDOM_EVERY: u32 = 2;

impl Pass<'_> {
    /// All places where the subject may be, best first.
    pub(super) fn candidates<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        passage: &FrameStep,
    ) -> Result<Vec<Candidate>, S::Error> {
        let mut candidates: Vec<Candidate> = Vec::new();
        let first = self.beam.states()[0];
        let is_long_hidden = first.hidden_for >= SELDOM_AFTER && !first.stood;
        if is_long_hidden && !frame.0.is_multiple_of(SELDOM_EVERY) {
            let places = self.likely_places(passage, |state| state.hidden_for == 0);
            self.look(source, frame, &places, &mut candidates)?;
            candidates.sort_by(|a, b| a.cost().total_cmp(&b.cost()));
            return Ok(candidates);
        }
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
        passage: &FrameStep,
    ) -> Result<(), S::Error> {
        let state = self.beam.states()[0];
        let cost = |candidate: &Candidate| candidate.cost() + self.beam.way_cost(&state, candidate.at, passage);
        let Some(best) = candidates.iter_mut().min_by(|a, b| cost(a).total_cmp(&cost(b))) else { return Ok(()) };
        let now = self.memory.scale;
        for step in REGROWTH {
            self.memory.scale = (now * step).clamp(SCALES.0, SCALES.1);
            let mut again: Vec<Candidate> = Vec::new();
            self.look(source, frame, &[best.at], &mut again)?;
            let near = again.into_iter().filter(|other| other.at.distance(best.at) < ONE_LOOK * self.side());
            let better = near.filter(|other| other.cost() + REGROWTH_GAIN < best.cost());
            if let Some(better) = better.min_by(|a, b| a.cost().total_cmp(&b.cost())) {
                *best = better;
            }
        }
        self.memory.scale = now;
        Ok(())
    }

    /// Whether nothing that was seen is plainly the subject where it was expected.
    fn is_in_doubt(&self, candidates: &[Candidate], passage: &FrameStep) -> bool {
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
        passage: &FrameStep,
    ) -> Result<Vec<Point>, S::Error> {
        let state = self.beam.states()[0];
        let boxes = (LEAP_AREA + LEAP_WIDER * f64::from(state.hidden_for)).min(LEAP_WIDEST) as usize;
        if boxes > LEAP_OFTEN && !frame.0.is_multiple_of(LEAP_EVERY) {
            return Ok(Vec::new());
        }
        let middle = if boxes as f64 >= LEAP_WIDEST { self.picture.middle() } else { state.predicted(passage)[1] };
        let wide = boxes as f64 * self.side();
        let of = Neighbourhood { middle, side: wide };
        let (window, _) = self.pixels(source, frame, &of)?;
        let across = LEAP_SAMPLES * boxes;
        let area = samples(&window, &of, across);
        let count = across - LEAP_SAMPLES + 1;
        let step = wide / across as f64;
        let place = |i: usize| {
            let offset = |at: usize| (at as f64 - (count - 1) as f64 / 2.0) * step;
            middle + Point::new(offset(i % count), offset(i / count))
        };
        let templates =
            if state.hidden_for == 0 { [&self.memory.newest, &None] } else { [&self.memory.believed, &self.clicked] };
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

    pub(super) fn look<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        places: &[Point],
        candidates: &mut Vec<Candidate>,
    ) -> Result<(), S::Error> {
        // A part of the scene is known by the empty scene, in whatever light and shade.
        let asks_memory = self.settings.strange && !self.is_background();
        for &at in places {
            let window = self.load(source, frame, at)?;
            let cell = self.around(at).cell();
            for (offset, response) in peaks(&self.response) {
                let place = at + offset * cell;
                let inside = self.inside(place);
                let likeness = f64::from(response) / inside.max(0.5) / self.memory.usual.level();
                let near = candidates.iter().position(|c| c.at.distance(place) < 0.1 * self.side());
                if likeness < NOTHING || !self.picture.contains(place) {
                    continue;
                }
                let candidate = Candidate {
                    at: place,
                    likeness,
                    plate: self.plate_cost(&window, place),
                    strange: if asks_memory { self.memory.keys.strangeness(&window, place, self.side()) } else { 0.0 },
                    scale: self.memory.scale,
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
    fn places(&self, passage: &FrameStep) -> Vec<Point> {
        let states = self.beam.states();
        let mut places = self.likely_places(passage, |_| true);
        if states[0].hidden_for > 0 && states[0].stood {
            self.add(&mut places, states[0].left_at, MOST_LOOKS + 1);
        }
        if self.settings.ring && (self.beam.steps() == 0 || states[0].hidden_for >= RING_AFTER) {
            let middle = states[0].predicted(passage)[1];
            for i in 0..RING_LOOKS {
                let angle = std::f64::consts::TAU * i as f64 / RING_LOOKS as f64;
                let place = middle + Point::new(angle.cos(), angle.sin()) * (RING * self.side());
                self.add(&mut places, place, MOST_LOOKS + RING_LOOKS);
            }
        }
        places
    }

    /// Where it should be after the likely ones of those states.
    fn likely_places(&self, passage: &FrameStep, of: impl Fn(&State) -> bool) -> Vec<Point> {
        let states = self.beam.states();
        let likely = || states.iter().filter(|state| state.cost < states[0].cost + SEARCHED_WITHIN && of(state));
        let moved = likely().flat_map(|state| state.predicted(passage));
        let stayed = likely().map(|state| passage.camera.apply(state.at));
        let mut places = Vec::new();
        moved.chain(stayed).for_each(|place| self.add(&mut places, place, MOST_LOOKS));
        places
    }

    /// Adds a place, unless one look sees it with another, or there are enough.
    fn add(&self, places: &mut Vec<Point>, place: Point, most: usize) {
        let apart = ONE_LOOK * self.side();
        if places.len() < most && places.iter().all(|other| other.distance(place) > apart) {
            places.push(place);
        }
    }
}
