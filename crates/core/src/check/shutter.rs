//! How long the camera's shutter was open: seen in how far what is followed is smeared along its way.

use crate::align::{Aligner, Pattern, Reference};
use crate::geometry::{Homography, LocalWarp, Point};
use crate::image::{AnySource, Blur, FrameSource, Lost, Window, with_any};
use crate::pin::Pin;
use crate::time::Frame;
use crate::track::{MotionModel, Sample, SampleState, Track};

/// Slower than this, in pixels a frame, the smear is too short to be measured.
pub const LEAST_SPEED: f64 = 4.0;
/// A frame is compared with one on which the pin goes at most this share as fast.
const SLOWER: f64 = 0.4;
/// So many of the fastest frames of a pin are looked at: more add little.
const MOST_FRAMES: usize = 8;
/// Steps in which the share is looked for; between them a parabola is laid.
const STEPS: usize = 16;
/// Longest smear that is tried, in pixels: the reference reaches 20 further than its pattern.
const LONGEST: f64 = 36.0;
/// How far the alignment may move, in pixels.
const REACH: f64 = 3.0;
/// A frame that matches worse than this however it is smeared shows something else.
const LEAST_MATCH: f64 = 0.9;
/// How much softer all round the fast frame may be, in pixels: out of focus, or made soft by its codec. Softness across
/// the way is none of the shutter's.
const SOFTNESS: [f64; 10] = [-1.8, -1.4, -1.1, -0.8, -0.5, 0.0, 0.5, 0.8, 1.1, 1.4];
/// Luma of black, and the power by which light grows with what is above it: near enough to ITU-R BT.709's curve, and to
/// sRGB's.
const BLACK: f32 = 16.0;
const GAMMA: f32 = 2.2;
/// Keeps a perfect match finite.
const NOISE: f64 = 1e-4;

/// For each share of a frame's time, how ill the smeared pattern matches: the sum of the logarithms of the variance
/// that is left over, over frames.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Shutter {
    misfits: Vec<f64>,
    /// How many frames were compared.
    pub frames: usize,
}

impl Shutter {
    /// The share of a frame's time that the shutter was open, 0 to 1; `None` when nothing was compared.
    pub fn share(&self) -> Option<f64> {
        let (at, least) = self.misfits.iter().enumerate().min_by(|a, b| a.1.total_cmp(b.1))?;
        let beside = |i: Option<usize>| i.and_then(|i| self.misfits.get(i).copied());
        let between = match (beside(at.checked_sub(1)), beside(Some(at + 1))) {
            (Some(before), Some(after)) if before + after > 2.0 * least => {
                0.5 * (before - after) / (before + after - 2.0 * least)
            }
            _ => 0.0,
        };
        Some((at as f64 + between) / STEPS as f64)
    }

    fn add(&mut self, misfits: &[f64]) {
        self.misfits.resize(STEPS + 1, 0.0);
        self.misfits.iter_mut().zip(misfits).for_each(|(sum, misfit)| *sum += misfit);
        self.frames += 1;
    }

    /// Compares the frames on which a pin goes fast with slower ones of the same pin, smeared along the way for each
    /// share.
    ///
    /// The pin's places are those of the middle of the exposure, in pixels. A smear is a box along the way (the shutter
    /// opens and shuts at once).
    ///
    /// # Errors
    /// What the source of the frames says.
    pub fn measure<S: FrameSource>(&mut self, source: &mut S, pin: &Pin, track: &Track) -> Result<(), S::Error> {
        let moving = velocities(track);
        let mut fast: Vec<&Moving> = moving.iter().filter(|one| one.velocity.length() >= LEAST_SPEED).collect();
        fast.sort_by(|a, b| b.velocity.length().total_cmp(&a.velocity.length()));
        for one in fast.into_iter().filter(|one| one.velocity.length() < LONGEST).take(MOST_FRAMES) {
            let most = SLOWER * one.velocity.length();
            let slow = moving.iter().filter(|other| other.velocity.length() <= most);
            let Some(slow) = slow.min_by_key(|other| one.frame.until(other.frame).abs()) else { continue };
            if let Some(misfits) = with_any(source, |source| compare(source, pin, slow, one))? {
                self.add(&misfits);
            }
        }
        Ok(())
    }
}

/// A pin on a frame, with its pixels a frame.
struct Moving {
    frame: Frame,
    sample: Sample,
    velocity: Point,
}

impl Moving {
    /// From the pattern to the picture.
    fn map(&self) -> Homography {
        self.sample.shape.unwrap_or(LocalWarp::SAME).placed(self.sample.at)
    }
}

fn velocities(track: &Track) -> Vec<Moving> {
    let seen = |frame: Frame| track.get(frame).filter(|sample| sample.state == SampleState::Found);
    let moving = |(frame, sample): (Frame, Sample)| {
        let (before, after) = (seen(frame.step(-1)?)?, seen(frame.step(1)?)?);
        let velocity = (after.at - before.at) * 0.5;
        (sample.state == SampleState::Found).then_some(Moving { frame, sample, velocity })
    };
    track.iter().filter_map(moving).collect()
}

/// The misfit for each share; `None` where the two do not show the same.
fn compare(source: &mut AnySource<'_>, pin: &Pin, slow: &Moving, fast: &Moving) -> Result<Option<Vec<f64>>, Lost> {
    let [cols, rows] = pin.pattern.map(|side| side as usize);
    let mut windows = |moving: &Moving| -> Result<Vec<Window>, Lost> {
        source.windows(moving.frame, Reference::rect(&moving.map(), cols, rows), pin.channel.components())
    };
    let (slow_windows, fast_windows) = (windows(slow)?, windows(fast)?);
    let Some(mut smears) = Smears::new(pin, (slow, &slow_windows), (fast, fast_windows)) else { return Ok(None) };
    // Both at once: what is softer all round would else be taken for smeared.
    let matches =
        SOFTNESS.map(|softness| smears.matches(softness)).into_iter().max_by(|a, b| best(a).total_cmp(&best(b)));
    let matches = matches.unwrap_or_default();
    Ok((best(&matches) >= LEAST_MATCH)
        .then(|| matches.iter().map(|matched| (1.0 - matched * matched + NOISE).ln()).collect()))
}

fn best(matches: &[f64]) -> f64 {
    matches.iter().copied().fold(0.0, f64::max)
}

/// The pattern of a slow frame, smeared for each share along the way of a fast one, to be compared with that.
struct Smears {
    references: Vec<Reference>,
    fast: Vec<Window>,
    start: Homography,
    /// What the slow frame moved, in the fast picture: by its share of that the pattern is smeared already, so the
    /// picture gets it, too.
    own: Point,
    aligner: Aligner,
}

impl Smears {
    fn new(pin: &Pin, (slow, windows): (&Moving, &[Window]), (moving, fast): (&Moving, Vec<Window>)) -> Option<Self> {
        let mut aligner = Aligner::new(pin.filter);
        let smear = |way: Point| smeared(windows, &slow.map(), way, pin);
        let mut start = moving.map();
        // How it is turned and grown: first roughly, as its way in the pattern hinges on that. Half open is usual, and
        // unsmeared it would seem grown.
        for _ in 0..2 {
            let half = smear(as_pattern(&start, moving.velocity)? * 0.5);
            let found = aligner.align(half.sharp(), &fast, moving.map(), MotionModel::Scale, REACH);
            if found.has_settled() && found.matched > aligner.match_at(half.sharp(), &fast, &start) {
                start = found.map;
            }
        }
        let (before, way) = (as_pattern(&slow.map(), slow.velocity)?, as_pattern(&start, moving.velocity)?);
        let references = (0..=STEPS).map(|step| smear(way * share_of(step))).collect();
        let own = start.warp().placed(Point::default()).apply(before);
        Some(Self { references, fast, start, own, aligner })
    }

    /// The match for each share. `softness`: how much softer the fast frame is all round; negative where it is sharper.
    fn matches(&mut self, softness: f64) -> Vec<f64> {
        let Self { references, fast, start, own, aligner } = self;
        let matched = |(step, reference): (usize, &mut Reference)| {
            aligner.blur = Blur { sigma: (-softness).max(0.0), along: *own * share_of(step) };
            let blur = Blur { sigma: softness.max(0.0), along: Point::default() };
            aligner.match_at(reference.softened(blur), fast, start)
        };
        references.iter_mut().enumerate().map(matched).collect()
    }
}

fn share_of(step: usize) -> f64 {
    step as f64 / STEPS as f64
}

/// A way in the picture as the pattern has it: not turned, not grown.
fn as_pattern(map: &Homography, way: Point) -> Option<Point> {
    Some(map.warp().placed(Point::default()).inverse()?.apply(way))
}

/// The pattern, seen from places along a way that are at most half a pixel apart: exact where a blur of its samples
/// would soften them besides.
fn smeared(windows: &[Window], map: &Homography, way: Point, pin: &Pin) -> Reference {
    let (cols, rows) = Reference::wide_sides(pin.pattern[0] as usize, pin.pattern[1] as usize);
    let count = (2.0 * way.length()).ceil().max(1.0);
    let places = (0..count as u32).map(|i| way * ((f64::from(i) + 0.5) / count - 0.5));
    let seen = places.map(|at| Pattern::pick(windows, &map.after(&Homography::shift(at)), cols, rows, pin.filter));
    Reference::of_wide(Pattern::merged(&seen.collect::<Vec<_>>(), exposed))
}

/// The luma of several one after the other on one place of the sensor: it adds up light.
fn exposed(lumas: &mut [f32]) -> f32 {
    let light = |luma: &f32| (luma - BLACK).max(0.0).powf(GAMMA);
    (lumas.iter().map(light).sum::<f32>() / lumas.len() as f32).powf(1.0 / GAMMA) + BLACK
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::*;
    use crate::geometry::Size;
    use crate::image::{Plane, PlaneStack};
    use crate::track::Covariance;

    const SIZE: Size = Size::new(300, 140);

    /// A pan that gets faster, 0 to 12 pixels a frame, along `down` a pixel for each across.
    fn place(time: f64, down: f64) -> Point {
        let gone = 0.25 * time * time;
        Point::new(60.0 + gone, 50.0 + down * gone)
    }

    fn texture(u: f64, v: f64) -> f64 {
        (u * 0.61 + v * 0.33).sin() + (v * 0.57 - u * 0.43).sin() + (u * v * 0.031).cos() + (u * 0.9).cos()
    }

    fn film(share: f64, down: f64) -> (PlaneStack, Track) {
        let exposed = |frame: u32, col: u32, row: u32| {
            const MOMENTS: usize = 16;
            if place(f64::from(frame), down).distance(Point::new(f64::from(col), f64::from(row))) > 50.0 {
                return 128;
            }
            let moment = |i: usize| f64::from(frame) + share * ((i as f64 + 0.5) / MOMENTS as f64 - 0.5);
            let light = |i: usize| {
                let at = place(moment(i), down);
                let value = texture(f64::from(col) + 0.5 - at.x, f64::from(row) + 0.5 - at.y);
                (112.0 + 28.0 * value).max(0.0).powf(2.2)
            };
            let mean = (0..MOMENTS).map(light).sum::<f64>() / MOMENTS as f64;
            (16.0 + mean.powf(1.0 / 2.2)) as u8
        };
        let frames = 0..25u32;
        let planes = frames.clone().map(|frame| Plane::from_fn(SIZE, |col, row| exposed(frame, col, row)));
        let sample =
            |frame: u32| Sample::bare(place(f64::from(frame), down), 1.0, Covariance::UNKNOWN, SampleState::Found);
        (
            PlaneStack::new(planes.collect()).unwrap(),
            frames.clone().map(|frame| (Frame(frame), sample(frame))).collect(),
        )
    }

    #[test]
    fn the_shutter_is_seen_in_the_smear() {
        for (share, down) in [(0.25, 0.0), (0.5, 0.15), (0.75, 0.1)] {
            let (mut source, track) = film(share, down);
            let pin = Pin::new(Uuid::nil(), Frame(0), place(0.0, down), [31, 31], [40, 40]);
            let mut shutter = Shutter::default();
            shutter.measure(&mut source, &pin, &track).unwrap();
            let got = shutter.share().unwrap();
            assert!(
                (got - share).abs() < 0.04 && shutter.frames == 8,
                "{got} for {share}, of {} frames",
                shutter.frames
            );
        }
    }

    #[test]
    fn what_hardly_moves_says_nothing() {
        let (mut source, _) = film(0.5, 0.0);
        let still = (0..20u32)
            .map(|frame| (Frame(frame), Sample::bare(place(0.0, 0.0), 1.0, Covariance::UNKNOWN, SampleState::Found)));
        let pin = Pin::new(Uuid::nil(), Frame(0), place(0.0, 0.0), [31, 31], [40, 40]);
        let mut shutter = Shutter::default();
        shutter.measure(&mut source, &pin, &still.collect()).unwrap();
        assert_eq!((shutter.share(), shutter.frames), (None, 0));
    }
}
