//! How soft a frame is beyond the reference: smeared by motion, or out of focus.

use crate::geometry::Point;
use crate::image::Blur;

/// Standard deviations that are told apart, in pixels: each half again as soft as the one before.
const LEVELS: [f64; 9] = [0.0, 0.7, 1.1, 1.6, 2.3, 3.2, 4.3, 5.6, 7.2];
/// Above this match there is nothing to gain by another softness.
const GOOD: f64 = 0.985;
/// Another softness has to match better by this much.
const WORTHWHILE: f64 = 0.002;
/// When nothing else was better, nothing else is tried for so many frames, unless the match falls by [`FALL`].
const REST: u32 = 6;
/// Grain alone changes the match by less from frame to frame.
const FALL: f64 = 0.006;
/// Motion within the shutter below this share of the pattern's smaller side hardly changes the picture. (3-engine takes
/// a third;
/// matching it earlier costs little and keeps the match high.)
const SMEARED_SHARE: f64 = 0.13;
/// Share of a frame's time that the shutter is taken to be open at first: half, common practice.
const USUAL_SHUTTER: f64 = 0.5;
/// Steps in which the shutter's share is looked for.
const SHUTTER_STEP: f64 = 0.125;

#[derive(Clone, Copy, Debug)]
pub(super) struct Softness {
    /// Index into [`LEVELS`]; negative when the picture is sharper than the reference.
    level: i32,
    shutter: f64,
    /// Frames for which nothing else is tried, as nothing else was better.
    rest: u32,
    /// The match when that was found out.
    settled_at: f64,
}

impl Default for Softness {
    fn default() -> Self {
        Self { level: 0, shutter: USUAL_SHUTTER, rest: 0, settled_at: 0.0 }
    }
}

fn gauss(level: i32) -> Blur {
    Blur { sigma: LEVELS[(level.max(0) as usize).min(LEVELS.len() - 1)], along: Point::default() }
}

impl Softness {
    /// What the reference has to be softened by, to look like the picture.
    pub fn of_pattern(&self, velocity: Point, pattern: &[u32; 2]) -> Blur {
        Blur { along: smear(velocity, self.shutter, pattern), ..gauss(self.level) }
    }

    /// What the picture has to be softened by, to look like the reference.
    pub fn of_picture(&self) -> Blur {
        gauss(-self.level)
    }

    /// Tries the neighbouring softness on each side; `match_with` gives the match for blur of pattern and blur of
    /// picture.
    pub fn learn(
        &mut self,
        matched: f64,
        velocity: Point,
        pattern: &[u32; 2],
        mut match_with: impl FnMut(Blur, Blur) -> f64,
    ) {
        self.rest = self.rest.saturating_sub(1);
        if matched > GOOD || self.rest > 0 && matched > self.settled_at - FALL {
            return;
        }
        let mut attempt = |tried: Self| (match_with(tried.of_pattern(velocity, pattern), tried.of_picture()), tried);
        let most = LEVELS.len() as i32 - 1;
        let levels = [self.level - 1, self.level + 1].into_iter().filter(|level| level.abs() <= most);
        let mut tried: Vec<(f64, Self)> = levels.map(|level| attempt(Self { level, ..*self })).collect();
        if smear(velocity, 1.0, pattern) != Point::default() {
            let shutters = [self.shutter - SHUTTER_STEP, self.shutter + SHUTTER_STEP];
            let shutters = shutters.into_iter().filter(|share| (0.0..=1.0).contains(share));
            tried.extend(shutters.map(|shutter| attempt(Self { shutter, ..*self })));
        }
        let best = tried.into_iter().max_by(|a, b| a.0.total_cmp(&b.0));
        match best.filter(|(better, _)| *better > matched + WORTHWHILE) {
            Some((_, softness)) => *self = Self { rest: 0, ..softness },
            None => (self.rest, self.settled_at) = (REST, matched),
        }
    }
}

/// Whole pixels, so that a steady motion needs one softened pattern only.
fn smear(velocity: Point, shutter: f64, pattern: &[u32; 2]) -> Point {
    let along = velocity * shutter;
    let enough = f64::from(pattern[0].min(pattern[1])) * SMEARED_SHARE;
    if along.length() < enough { Point::default() } else { Point::new(along.x.round(), along.y.round()) }
}
