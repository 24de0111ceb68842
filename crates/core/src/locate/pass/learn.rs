//! What is learned from a frame on which the subject is believed to be.

use super::{Pass, SCALES};
use crate::geometry::Point;
use crate::image::FrameSource;
use crate::locate::beam::{Candidate, State};
use crate::locate::memory::Keys;
use crate::locate::neighbourhood::Neighbourhood;
use crate::locate::response::near_middle;
use crate::time::Frame;

/// Rate of learning: the filter is mostly what the last fifty believed frames and the click were.
const RATE: f32 = 0.02;
/// Learned is what responds at least so much, as a share of the usual ...
const LEARNED_ABOVE: f64 = 0.6;
/// ... or so much where nothing speaks against it.
const LEARNED_THIN: f64 = 0.42;
/// ... and by this much cheaper than any way elsewhere.
const LEARNED_MARGIN: f64 = 0.5;
/// Nearer than this share of the box is not elsewhere.
const ELSEWHERE: f64 = 0.3;
/// And of which at least this share is inside the picture.
const LEARNED_INSIDE: f64 = 0.8;
/// Steps of size that are tried, and by how much a change has to be better.
const SCALE_STEP: f64 = 1.03;
const GROWTH_GAIN: f32 = 1.015;
/// Seen frames after a return that are learned only when they look like a key picture.
const WARY: u32 = 8;
const WARY_ABOVE: f64 = 0.5;

impl Pass<'_> {
    /// Learns from the newest frame, if the subject is believed to be seen there.
    pub(super) fn learn<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        candidates: &[Candidate],
    ) -> Result<(), S::Error> {
        let best: State = self.beam.states()[0];
        let Some(index) = best.candidate else {
            if best.hidden_for >= 2 {
                self.memory.wary = WARY;
            }
            return Ok(());
        };
        let candidate = candidates[index];
        if candidate.likeness > LEARNED_THIN {
            let of = Neighbourhood { middle: candidate.at, side: self.side() };
            let (window, _) = self.pixels(source, frame, &of)?;
            self.memory.newest = self.template(&window, candidate.at);
        }
        let is_believed = self.is_believed(&best, &candidate);
        self.memory.wary = self.memory.wary.saturating_sub(1);
        if !is_believed {
            return Ok(());
        }
        self.memory.usual.accept(candidate.likeness * self.memory.usual.level());
        let at = candidate.at;
        self.grow(source, frame, at)?;
        self.bench.learn(&mut self.memory.filter, RATE);
        if let Some(note) = self.notes.last_mut() {
            note.learned = true;
        }
        let (window, _) = self.pixels(source, frame, &self.around(at))?;
        self.memory.believed = self.template(&window, at);
        self.memory.keys.add(Keys::picture(&window, at, self.side()));
        Ok(())
    }

    fn is_believed(&self, best: &State, candidate: &Candidate) -> bool {
        let elsewhere = self.beam.states().iter().filter(|state| state.at.distance(best.at) > ELSEWHERE * self.side());
        let rival = elsewhere.map(|state| state.cost).fold(f64::INFINITY, f64::min);
        let is_clear = rival > best.cost + LEARNED_MARGIN;
        let no_rival_near = rival > best.cost + 2.0 * LEARNED_MARGIN;
        let least = if no_rival_near && self.memory.wary == 0 { LEARNED_THIN } else { LEARNED_ABOVE };
        let is_known = self.memory.wary == 0 || candidate.strange < 1.0 - WARY_ABOVE;
        is_clear && candidate.likeness >= least && is_known && self.inside(candidate.at) >= LEARNED_INSIDE
    }

    /// Loads the subject at the size at which it looks most like itself.
    fn grow<S: FrameSource>(&mut self, source: &mut S, frame: Frame, at: Point) -> Result<(), S::Error> {
        let steps = if self.settings.scale { &[0, -1, 1][..] } else { &[0] };
        let (mut best_response, mut best_scale) = (0.0, self.memory.scale);
        let mut kept = Vec::new();
        let now = self.memory.scale;
        for step in steps {
            self.memory.scale = (now * SCALE_STEP.powi(*step)).clamp(SCALES.0, SCALES.1);
            self.load(source, frame, at)?;
            let response = near_middle(&self.response);
            if *step == 0 || response > best_response * GROWTH_GAIN {
                (best_response, best_scale) = (response, self.memory.scale);
                kept.clone_from(&self.bench.spectra);
            }
        }
        self.memory.scale = best_scale;
        self.beam.scale_best(best_scale);
        self.bench.spectra.clone_from(&kept);
        Ok(())
    }
}
