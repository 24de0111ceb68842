//! One look at one frame: where may the pattern be, and how good is each place.

mod references;
mod softness;
mod target;

use crate::align::{Aligner, Alignment, Pattern};
use crate::geometry::{Homography, LocalWarp, PixelRect, Point, Size};
use crate::image::{Blur, FrameSource, Window};
use crate::matching::CorrelationPeak;
use crate::pin::Pin;
use crate::time::Frame;
use crate::track::{Covariance, MotionModel, Sample, SampleState};

pub(crate) use references::References;
use softness::Softness;
pub(crate) use target::Target;

/// Candidates of the search that are aligned and compared; the others score too low to win.
const ALIGNED_CANDIDATES: usize = 4;
/// And while it is hidden, when most frames show nothing but others.
const ALIGNED_WHILE_HIDDEN: usize = 2;
/// Candidates that score this much below the best are not aligned: alignment below the pixel adds less than that.
const CLEARLY_WORSE: f32 = 0.15;
/// How far the alignment may move a candidate, in pixels: the search is right to the pixel, plus its coarse levels'
/// slip.
const ALIGN_REACH: f64 = 3.0;
/// A match of at least this by position alone leaves nothing for turn and growth to explain.
const STIFF: f64 = 0.96;
/// Turn and growth have to raise the match by this much to be believed of a pin that takes only the position.
const PLAIN_DIFFERENCE: f64 = 0.01;
/// A place that matches this far below the threshold is another thing: no turn or growth since the frame before
/// explains that.
const BEYOND_SHAPE: f64 = 0.2;
/// A turned and grown match this far below the threshold after a few steps does not reach it.
const BEYOND_LAST_STEPS: f64 = 0.1;
/// Of several candidates only those are turned and grown whose match is at most this far below the best one's.
const MOST_GAINED_BY_SHAPE: f64 = 0.1;
/// A candidate that scores this far below the threshold before alignment is not brought above it by alignment.
const BEYOND_ALIGNMENT: f64 = 0.4;
/// Following back is judged in tenths of a pixel: it need not be more exact than this.
const ROUND_TRIP_TO: f64 = 0.02;
/// Two candidates nearer than this, in pixels, are the same place. Larger, and neighbouring bars of a fence become one;
/// smaller, and one place is offered twice, as alignment ends a pixel apart.
pub(crate) const SAME_PLACE: f64 = 2.0;

/// Where to look, and for what.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Prediction {
    /// Where the pin should be.
    pub at: Point,
    /// How far it may be from there, across and down, in pixels.
    pub reach: (f64, f64),
    /// How the pattern was turned and grown when last seen.
    pub shape: LocalWarp,
    /// Pixels per frame.
    pub velocity: Point,
    /// Whether it was hidden on the frame before: then the best few candidates will do.
    pub is_hidden: bool,
}

/// A place where the pattern may be.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Candidate {
    /// From the pattern to the picture.
    pub map: Homography,
    /// 0 to 1.
    pub matched: f64,
    /// Of the place.
    pub covariance: Covariance,
    /// Score of this place over the best score of any other.
    pub peak_ratio: Option<f64>,
    /// Match to the newest reference, which may be another than the one that gave the place.
    pub to_newest: f64,
    /// Whether the place comes from the first reference, so that it cannot have drifted.
    pub anchored: bool,
    /// What the reference was softened by.
    pub blur: Blur,
    /// What the picture was softened by.
    pub picture_blur: Blur,
}

impl Candidate {
    /// No place at all: what a look without any candidate gives.
    pub fn nothing(map: Homography) -> Self {
        Self {
            map,
            matched: 0.0,
            covariance: Covariance::UNKNOWN,
            peak_ratio: None,
            to_newest: 0.0,
            anchored: false,
            blur: Blur::default(),
            picture_blur: Blur::default(),
        }
    }

    /// As a sample of a pin; the shape only where the pin takes more than the position.
    pub fn sample(&self, pin: &Pin, state: SampleState) -> Sample {
        let shape = (pin.motion != MotionModel::Position).then(|| self.map.warp());
        let Self { matched, covariance, peak_ratio, .. } = *self;
        Sample { peak_ratio, shape, ..Sample::bare(self.at(), matched, covariance, state) }
    }

    pub fn at(&self) -> Point {
        self.map.origin()
    }
}

/// What was seen of a frame.
pub(crate) struct Observation {
    /// Best match first; empty when nothing of the pattern's structure is there.
    pub finds: Vec<Candidate>,
    /// The pixels looked at.
    pub windows: Vec<Window>,
}

/// Looks at frames for one pin; keeps scratch memory, and what it has learned of the shot's softness.
pub(crate) struct FrameMatcher<'a> {
    pub pin: &'a Pin,
    pub size: Size,
    /// How exact places have to be, in pixels: what is refined later need not be as exact as it can be.
    roughly: f64,
    aligner: Aligner,
    softness: Softness,
}

impl<'a> FrameMatcher<'a> {
    pub fn new(pin: &'a Pin, size: Size) -> Self {
        Self { pin, size, roughly: 0.0, aligner: Aligner::new(pin.filter), softness: Softness::default() }
    }

    /// With places only as exact as this, in pixels.
    pub fn roughly(self, roughly: f64) -> Self {
        Self { roughly, ..self }
    }

    /// Search distance to each side as the pin has it, times `wider`.
    pub fn reach(&self, wider: f64) -> (f64, f64) {
        let [across, down] = self.pin.search.map(|reach| f64::from(reach) * wider);
        (across, down)
    }

    /// Searches for the target and aligns the best places.
    pub fn look<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        target: &mut Target,
        prediction: &Prediction,
    ) -> Result<Observation, S::Error> {
        let blur = self.softness.of_pattern(prediction.velocity, &self.pin.pattern);
        let searcher = target.searcher(blur, prediction.shape);
        let area = searcher.area(prediction.at, prediction.reach);
        let windows = source.windows(frame, area, self.pin.channel.components())?;
        let candidates = searcher.find(&windows);
        let ratios = peak_ratios(&candidates, f64::from(self.pin.pattern[0].min(self.pin.pattern[1])));
        let best = candidates.first().map_or(0.0, |candidate| candidate.score);
        let least = (self.pin.least_match() - BEYOND_ALIGNMENT) as f32;
        let worth = |peak: &&CorrelationPeak| peak.score >= (best - CLEARLY_WORSE).max(least);
        let most = if prediction.is_hidden { ALIGNED_WHILE_HIDDEN } else { ALIGNED_CANDIDATES };
        let mut placed: Vec<(Alignment, Homography, Option<f64>)> = Vec::with_capacity(ALIGNED_CANDIDATES);
        for (candidate, peak_ratio) in candidates.iter().zip(ratios).take(most).filter(|(c, _)| worth(c)) {
            let start = prediction.shape.placed(candidate.centre);
            let found = self.place(target, blur, &windows, start);
            if placed.iter().all(|(other, ..)| other.centre().distance(found.centre()) > SAME_PLACE) {
                placed.push((found, start, peak_ratio));
            }
        }
        let best = placed.iter().map(|(found, ..)| found.matched).fold(0.0, f64::max);
        let mut finds: Vec<Candidate> = Vec::with_capacity(placed.len());
        for (found, start, peak_ratio) in placed {
            let could_win = found.matched >= best - MOST_GAINED_BY_SHAPE;
            let found = if could_win { self.shaped(target, blur, &windows, start, found) } else { found };
            finds.push(Candidate { peak_ratio, blur, picture_blur: self.aligner.blur, ..self.judged(&found, start) });
        }
        finds.sort_by(|a, b| b.matched.total_cmp(&a.matched));
        Ok(Observation { finds, windows })
    }

    /// Aligns the target from a place that is already right to a pixel or three. The windows must cover it.
    pub fn align_near(
        &mut self,
        target: &mut Target,
        windows: &[Window],
        start: Homography,
        velocity: Point,
    ) -> Candidate {
        let blur = self.softness.of_pattern(velocity, &self.pin.pattern);
        let found = self.align(target, blur, windows, start);
        Candidate { blur, picture_blur: self.aligner.blur, ..self.judged(&found, start) }
    }

    /// Aligns another target where something was found, as soft as it was found to be.
    pub fn align_again(&mut self, target: &mut Target, windows: &[Window], find: &Candidate) -> Candidate {
        self.aligner.blur = find.picture_blur;
        let found = self.align(target, find.blur, windows, find.map);
        self.aligner.blur = self.softness.of_picture();
        Candidate { blur: find.blur, picture_blur: find.picture_blur, ..self.judged(&found, find.map) }
    }

    /// How far from `there` on another frame the pattern as it is at `map` on one frame is found, in pixels. When it is
    /// not found near `there` at all, as far as it was looked for.
    pub fn follow_back(&mut self, windows: &[Window], map: &Homography, others: &[Window], there: &Homography) -> f64 {
        let [cols, rows] = self.pin.pattern.map(|side| side as usize);
        let pattern = Pattern::pick(windows, map, cols, rows, self.pin.filter);
        let blur = std::mem::take(&mut self.aligner.blur);
        (self.aligner.give_up_below, self.aligner.roughly) = (0.0, ROUND_TRIP_TO);
        let found = self.aligner.align(&pattern, others, *there, MotionModel::Position, ALIGN_REACH);
        (self.aligner.blur, self.aligner.roughly) = (blur, self.roughly);
        if found.has_settled() { found.centre().distance(there.origin()) } else { ALIGN_REACH }
    }

    /// The pixels that [`FrameMatcher::align_again`] needs.
    pub fn area_of(&self, find: &Candidate) -> PixelRect {
        let [cols, rows] = self.pin.pattern.map(|side| side as usize);
        crate::align::bounds(&find.map, cols, rows, ALIGN_REACH + 6.0 + find.picture_blur.reach())
    }

    /// After a good find: is the picture softer or sharper than was taken for granted?
    pub fn learn_softness(&mut self, target: &mut Target, windows: &[Window], find: &Candidate, velocity: Point) {
        let Self { aligner, softness, pin, .. } = self;
        softness.learn(find.matched, velocity, &pin.pattern, |blur_of_pattern, blur_of_picture| {
            aligner.blur = blur_of_picture;
            aligner.match_at(target.reference.softened(blur_of_pattern), windows, &find.map)
        });
        aligner.blur = softness.of_picture();
    }

    fn align(&mut self, target: &mut Target, blur: Blur, windows: &[Window], start: Homography) -> Alignment {
        let placed = self.place(target, blur, windows, start);
        self.shaped(target, blur, windows, start, placed)
    }

    fn place(&mut self, target: &mut Target, blur: Blur, windows: &[Window], start: Homography) -> Alignment {
        (self.aligner.give_up_below, self.aligner.roughly) = (self.pin.least_match() - BEYOND_SHAPE, self.roughly);
        self.aligner.align(target.reference.softened(blur), windows, start, MotionModel::Position, ALIGN_REACH)
    }

    /// Richer motions are found step by step: a first estimate of the place keeps them from running off.
    ///
    /// A pin that takes only the position is turned and grown too where that makes a plain difference: a car that comes
    /// nearer keeps matching its first picture, and so cannot drift.
    fn shaped(
        &mut self,
        target: &mut Target,
        blur: Blur,
        windows: &[Window],
        start: Homography,
        placed: Alignment,
    ) -> Alignment {
        let pattern = target.reference.softened(blur);
        self.aligner.give_up_below = self.pin.least_match() - BEYOND_LAST_STEPS;
        let mut step =
            |from: Homography, motion: MotionModel| self.aligner.align(pattern, windows, from, motion, ALIGN_REACH);
        let from = if placed.has_settled() { placed.map } else { start };
        let is_same = start.warp() == LocalWarp::SAME;
        match self.pin.motion {
            _ if placed.matched < self.pin.least_match() - BEYOND_SHAPE => placed,
            MotionModel::Position if is_same && placed.matched >= STIFF => placed,
            MotionModel::Position if is_same => {
                let grown = step(from, MotionModel::Scale);
                if grown.has_settled() && grown.matched > placed.matched + PLAIN_DIFFERENCE { grown } else { placed }
            }
            MotionModel::Position => better(placed, step(from, MotionModel::Scale)),
            MotionModel::Perspective => {
                let sheared = better(placed, step(from, MotionModel::Affine));
                better(sheared, step(sheared.map, MotionModel::Perspective))
            }
            motion => better(placed, step(from, motion)),
        }
    }

    /// A place it could not settle on is not a find.
    fn judged(&self, found: &Alignment, start: Homography) -> Candidate {
        let (map, matched) = if found.has_settled() && found.map.warp().scale() > 0.1 {
            (found.map, found.matched)
        } else {
            (start, found.matched.min(self.pin.least_match() * 0.5))
        };
        Candidate { map, matched, covariance: found.covariance, to_newest: matched, ..Candidate::nothing(map) }
    }
}

/// The richer of two alignments, unless it got lost.
fn better(plain: Alignment, rich: Alignment) -> Alignment {
    if rich.has_settled() && rich.matched > plain.matched - 0.005 { rich } else { plain }
}

/// How far each candidate's score stands above the best score of any other place; places within a quarter of the
/// pattern are its own slope.
fn peak_ratios(peaks: &[CorrelationPeak], side: f64) -> Vec<Option<f64>> {
    let ratio = |this: &CorrelationPeak| {
        let others = peaks.iter().filter(|other| other.centre.distance(this.centre) > side / 4.0);
        let next = others.map(|other| other.score).fold(f32::NEG_INFINITY, f32::max);
        (next > 0.05).then(|| f64::from(this.score / next))
    };
    peaks.iter().map(ratio).collect()
}
