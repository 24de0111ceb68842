//! The patterns a pin is compared with while it is followed: the first one, and one renewed as the feature changes.

use super::{Candidate, FrameMatcher, Observation, Prediction, Target};
use crate::geometry::Homography;
use crate::image::FrameSource;
use crate::pin::ReferencePolicy;
use crate::time::Frame;

/// Below this match to the newest reference a renewal is due. Lower, and a slow change runs into the threshold
/// before the reference follows it; higher, and grain alone makes it renew, and drift a little each time.
const RENEW_BELOW: f64 = 0.92;
/// Only a frame that matched this well may become the reference, so that whatever begins to cover the feature does
/// not get into it.
const CLEAN_MATCH: f64 = 0.95;

/// First and renewed pattern of a pin.
pub(crate) struct References {
    first: Target,
    renewed: Option<Target>,
    /// The latest frame that still matched well, and where: the next reference when one is due.
    clean: Option<(Frame, Homography)>,
}

impl References {
    pub fn new(first: Target) -> Self {
        Self { first, renewed: None, clean: None }
    }

    /// The pattern as it looked most recently.
    pub fn newest(&mut self) -> &mut Target {
        self.renewed.as_mut().unwrap_or(&mut self.first)
    }

    /// The pattern as it was picked.
    pub fn first(&mut self) -> &mut Target {
        &mut self.first
    }

    /// Whether the newest is another than the first.
    pub fn is_renewed(&self) -> bool {
        self.renewed.is_some()
    }

    /// Looks for the newest pattern; each find that also looks like the first takes its place, which undoes any drift
    /// (Matthews, Ishikawa & Baker 2004).
    pub fn look<S: FrameSource>(
        &mut self,
        matcher: &mut FrameMatcher<'_>,
        source: &mut S,
        frame: Frame,
        prediction: &Prediction,
    ) -> Result<Observation, S::Error> {
        let mut look = matcher.look(source, frame, self.newest(), prediction)?;
        let renewed = self.is_renewed();
        look.finds.iter_mut().for_each(|find| find.anchored = !renewed);
        if renewed && matcher.pin.reference == ReferencePolicy::Checked {
            for find in look.finds.iter_mut().filter(|find| find.matched >= matcher.pin.least_match()) {
                let first = matcher.align_near(&mut self.first, &look.windows, find.map, prediction.velocity);
                // Below the threshold the first no longer says anything.
                if first.matched >= matcher.pin.least_match() {
                    *find = Candidate { peak_ratio: find.peak_ratio, to_newest: find.matched, anchored: true, ..first };
                }
            }
        }
        Ok(look)
    }

    /// Takes note of an accepted frame: how well it matched the newest reference, and where.
    pub fn learn<S: FrameSource>(
        &mut self,
        matcher: &FrameMatcher<'_>,
        source: &mut S,
        frame: Frame,
        find: &Candidate,
        to_newest: f64,
    ) -> Result<(), S::Error> {
        if matcher.pin.reference == ReferencePolicy::Fixed {
            return Ok(());
        }
        if to_newest >= CLEAN_MATCH {
            self.clean = Some((frame, find.map));
        } else if to_newest < RENEW_BELOW
            && let Some((clean, map)) = self.clean.take()
            && let Some(target) = Target::pick(source, clean, map, matcher.pin)?
        {
            self.renewed = Some(target);
        }
        Ok(())
    }
}
