//! A reference made of the whole shot: many frames, aligned and averaged, so that the noise of the first picture drops
//! out.

use std::collections::BTreeMap;

use super::guides::ChosenCandidates;
use super::share::share;
use super::task::Task;
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

/// The pattern as the whole shot shows it; `None` when too few frames agree, or when it is flat.
pub(super) fn whole_shot<S>(
    sources: &mut [S],
    task: Task<'_>,
    path: &ChosenCandidates,
) -> Result<Option<Target>, S::Error>
where
    S: FrameSource,
{
    let places = agreeing(task, path);
    if places.len() < LEAST_FRAMES {
        return Ok(None);
    }
    let step = places.len().div_ceil(MOST_FRAMES);
    let pin = task.pin;
    let [cols, rows] = pin.pattern.map(|side| side as usize);
    let (wide_cols, wide_rows) = Reference::wide_sides(cols, rows);
    let pick = |source: &mut S, (frame, map): (Frame, Homography)| {
        let windows = source.windows(frame, Reference::rect(&map, cols, rows), pin.channel.components())?;
        Ok(Pattern::pick(&windows, &map, wide_cols, wide_rows, pin.filter))
    };
    let mut patterns = share(sources, places.into_iter().step_by(step).collect(), pick)?;
    if let Some((first, others)) = patterns.split_first_mut() {
        others.iter_mut().for_each(|other| *other = other.clone().lit_like(first));
    }
    let mut target = Target::new(Reference::of_wide(Pattern::merged(&patterns, trimmed_mean)));
    let is_flat = target.searcher(Default::default(), Default::default()).is_flat();
    Ok((!is_flat).then_some(target))
}

/// Frames that show the pattern well, with where it is there.
fn agreeing(task: Task<'_>, path: &ChosenCandidates) -> BTreeMap<Frame, Homography> {
    let mut places: BTreeMap<Frame, Homography> = BTreeMap::new();
    let outside = task.track.iter().filter(|(frame, sample)| {
        !task.range.contains(*frame) && sample.state.is_present() && sample.matched >= AGREES
    });
    places.extend(outside.map(|(frame, sample)| (frame, sample.shape.unwrap_or_default().placed(sample.at))));
    let agreeing = path.iter().filter(|(_, find)| find.anchored && find.matched >= AGREES && find.blur.is_none());
    places.extend(agreeing.map(|(frame, find)| (*frame, find.map)));
    places.extend(task.guides.all().iter().map(|guide| (guide.frame, guide.map())));
    places
}

fn trimmed_mean(values: &mut [f32]) -> f32 {
    let cut = (values.len() as f64 * TRIMMED) as usize;
    let kept = if cut == 0 {
        values
    } else {
        let (_, _, above) = values.select_nth_unstable_by(cut - 1, f32::total_cmp);
        let middle = above.len() - cut;
        above.select_nth_unstable_by(middle, f32::total_cmp).0
    };
    kept.iter().sum::<f32>() / kept.len() as f32
}
