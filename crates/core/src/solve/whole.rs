//! A reference made of the whole shot: many frames, aligned and averaged, so that the noise of the first picture drops out.

use std::collections::BTreeMap;

use super::refine::Refiner;
use super::segment::Path;
use crate::align::{Pattern, Reference};
use crate::geometry::Homography;
use crate::image::FrameSource;
use crate::look::Target;
use crate::time::Frame;

/// Frames that it is made of at most. The noise falls with the root of the number; more cost time and add little.
const MOST_FRAMES: usize = 40;
/// Fewer are not worth it: the first picture alone is then about as good.
const LEAST_FRAMES: usize = 6;
/// Only frames that match this well go in.
const AGREES: f64 = 0.93;
/// Share of the values at each end that is left out of the mean: passing edges, reflections.
const TRIMMED: f64 = 0.15;

pub(super) struct WholeShot {
    pub target: Target,
}

impl WholeShot {
    /// `None` when too few frames agree.
    pub fn build<S: FrameSource>(refiner: &mut Refiner<'_, '_, S>, path: &Path) -> Result<Option<Self>, S::Error> {
        let mut places: BTreeMap<Frame, Homography> = BTreeMap::new();
        let outside = refiner.track.iter().filter(|(frame, sample)| {
            !refiner.range.contains(*frame) && sample.state.is_present() && sample.matched >= AGREES
        });
        places.extend(outside.map(|(frame, sample)| (frame, sample.shape.unwrap_or_default().placed(sample.at))));
        let agreeing = path.iter().filter(|(_, find)| find.anchored && find.matched >= AGREES && find.blur.is_none());
        places.extend(agreeing.map(|(frame, find)| (*frame, find.map)));
        places.extend(refiner.guides.all().iter().map(|guide| (guide.frame, guide.map())));
        if places.len() < LEAST_FRAMES {
            return Ok(None);
        }
        let step = places.len().div_ceil(MOST_FRAMES);
        let pin = refiner.looker.pin;
        let [cols, rows] = pin.pattern.map(|side| side as usize);
        let (wide_cols, wide_rows) = Reference::wide_sides(cols, rows);
        let mut patterns: Vec<Pattern> = Vec::with_capacity(MOST_FRAMES);
        for (frame, map) in places.into_iter().step_by(step) {
            let rect = Reference::rect(&map, cols, rows);
            let windows = refiner.source.windows(frame, rect, pin.channel.components())?;
            let pattern = Pattern::pick(&windows, &map, wide_cols, wide_rows, pin.filter);
            let lit = patterns.first().map_or_else(|| pattern.clone(), |first| pattern.clone().lit_like(first));
            patterns.push(lit);
        }
        let merged = Pattern::merged(&patterns, trimmed_mean);
        let mut target = Target::new(Reference::of_wide(merged));
        let is_flat = target.searcher(Default::default(), Default::default()).is_flat();
        Ok((!is_flat).then_some(Self { target }))
    }
}

fn trimmed_mean(values: &mut [f32]) -> f32 {
    values.sort_by(f32::total_cmp);
    let cut = (values.len() as f64 * TRIMMED) as usize;
    let kept = &values[cut..values.len() - cut];
    kept.iter().sum::<f32>() / kept.len() as f32
}
