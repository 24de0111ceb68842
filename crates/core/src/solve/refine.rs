//! Places made as good as they get: against the references nearest in time, then against one made of the whole shot; and each
//! judged by following it back.

use std::collections::BTreeMap;
use std::collections::btree_map::Entry;

use super::segment::{Guides, Path};
use super::whole::WholeShot;
use super::{Step, Watch};
use crate::follow::Continue;
use crate::geometry::{Homography, Point};
use crate::image::{FrameSource, Window};
use crate::look::{Find, Looker, Target};
use crate::shot::{ReferencePolicy, Track};
use crate::time::{Frame, FrameRange};

/// A refinement that moves a place by more than this, in pixels, has found something else.
const MOST_MOVED: f64 = 2.5;
/// The match may fall by this much at most: another reference weighs things differently.
const MATCH_LOST: f64 = 0.03;

/// Errors of following back, by frame.
pub(super) type BackErrors = BTreeMap<Frame, f64>;

/// What refining needs at hand.
pub(super) struct Refiner<'a, 'p, S> {
    pub source: &'a mut S,
    pub looker: &'a mut Looker<'p>,
    pub guides: &'a Guides,
    /// Samples of before; those outside the range help.
    pub track: &'a Track,
    pub range: FrameRange,
    /// Pixels round the places found, by frame: each is needed several times.
    pub windows: BTreeMap<Frame, Vec<Window>>,
}

impl<S: FrameSource> Refiner<'_, '_, S> {
    /// Refines all places of the path; `None` when the watch says stop.
    pub fn refine(&mut self, path: &mut Path, watch: &mut dyn Watch) -> Result<Option<BackErrors>, S::Error> {
        let pin = self.looker.pin;
        if self.guides.all().len() > 1 && self.against_guides(path, watch)? == Continue::No {
            return Ok(None);
        }
        let whole = WholeShot::build(self, path)?;
        if let Some(mut whole) = whole.filter(|_| pin.reference != ReferencePolicy::Renewed)
            && self.against_whole_shot(path, &mut whole, watch)? == Continue::No
        {
            return Ok(None);
        }
        let mut errors = BackErrors::new();
        for frame in path.keys().copied().collect::<Vec<_>>() {
            if let Some(error) = self.back_error(path, frame)? {
                errors.insert(frame, error);
            }
            if watch.step(Step::Refined) == Continue::No {
                return Ok(None);
            }
        }
        Ok(Some(errors))
    }

    /// The pixels round a place, from memory or from the source.
    pub fn windows_at(&mut self, frame: Frame, map: &Homography) -> Result<&[Window], S::Error> {
        if !self.windows.contains_key(&frame) {
            let area = self.looker.area_near(map);
            let windows = self.source.windows(frame, area, self.looker.pin.channel.components())?;
            self.windows.insert(frame, windows);
        }
        Ok(&self.windows[&frame])
    }

    /// Between two guides both have their say, the nearer one more: so the path goes through both without a step.
    fn against_guides(&mut self, path: &mut Path, watch: &mut dyn Watch) -> Result<Continue, S::Error> {
        let mut targets: BTreeMap<Frame, Option<Target>> = BTreeMap::new();
        for (&frame, find) in path.iter_mut() {
            if watch.step(Step::Compared) == Continue::No {
                return Ok(Continue::No);
            }
            let (before, after) = self.guides.around(frame);
            let mut seen: Vec<(f64, Find)> = Vec::with_capacity(2);
            for guide in [before, after].into_iter().flatten() {
                let target = match targets.entry(guide.frame) {
                    Entry::Occupied(known) => known.into_mut(),
                    Entry::Vacant(new) => {
                        new.insert(Target::pick(self.source, guide.frame, guide.map(), self.looker.pin)?)
                    }
                };
                let Some(target) = target else { continue };
                self.windows_at(frame, &find.map)?;
                let again = self.looker.align_softened(target, &self.windows[&frame], find.map, find.blur);
                if again.matched >= self.looker.pin.stop_below && again.at().distance(find.at()) < MOST_MOVED {
                    seen.push((f64::from(guide.frame.until(frame).unsigned_abs() as u32), again));
                }
            }
            match seen.as_slice() {
                [(_, only)] => *find = Find { peak_ratio: find.peak_ratio, anchored: true, ..*only },
                [(to_first, first), (to_second, second)] => {
                    let share = to_first / (to_first + to_second);
                    let at = first.at() + (second.at() - first.at()) * share;
                    let nearer = if share < 0.5 { first } else { second };
                    let map = nearer.map.moved_to(at);
                    *find = Find { map, peak_ratio: find.peak_ratio, anchored: true, ..*nearer };
                }
                _ => {}
            }
        }
        Ok(Continue::Yes)
    }

    fn against_whole_shot(
        &mut self,
        path: &mut Path,
        whole: &mut WholeShot,
        watch: &mut dyn Watch,
    ) -> Result<Continue, S::Error> {
        let corrections = self.corrections(whole)?;
        for (&frame, find) in path.iter_mut().filter(|(_, find)| find.anchored) {
            if watch.step(Step::Compared) == Continue::No {
                return Ok(Continue::No);
            }
            self.windows_at(frame, &find.map)?;
            let again = self.looker.align_softened(&mut whole.target, &self.windows[&frame], find.map, find.blur);
            let kept = again.matched >= find.matched - MATCH_LOST && again.matched >= self.looker.pin.stop_below;
            if kept && again.at().distance(find.at()) < MOST_MOVED {
                let at = again.at() + corrections.at(frame);
                *find = Find { map: again.map.moved_to(at), peak_ratio: find.peak_ratio, anchored: true, ..again };
            }
        }
        Ok(Continue::Yes)
    }

    /// How far the whole shot's reference sits beside each guide.
    fn corrections(&mut self, whole: &mut WholeShot) -> Result<Corrections, S::Error> {
        let mut corrections = Vec::new();
        for guide in self.guides.all() {
            let area = self.looker.area_near(&guide.map());
            let windows = self.source.windows(guide.frame, area, self.looker.pin.channel.components())?;
            let found = self.looker.align_softened(&mut whole.target, &windows, guide.map(), Default::default());
            if found.matched >= self.looker.pin.stop_below && found.at().distance(guide.at) < MOST_MOVED {
                corrections.push((guide.frame, guide.at - found.at()));
            }
        }
        Ok(Corrections(corrections))
    }

    /// Follows the pin from this frame back to the one before, and says how far from its place there that leads.
    fn back_error(&mut self, path: &Path, frame: Frame) -> Result<Option<f64>, S::Error> {
        let Some(before) = frame.step(-1) else { return Ok(None) };
        let guide = self.guides.all().iter().find(|guide| guide.frame == before).map(|guide| guide.map());
        let outside = || self.track.position(before).filter(|_| !self.range.contains(before)).map(Homography::shift);
        let there = path.get(&before).map(|find| find.map).or(guide).or_else(outside);
        let Some(there) = there else { return Ok(None) };
        let map = path[&frame].map;
        self.windows_at(frame, &map)?;
        self.windows_at(before, &there)?;
        let found = self.looker.follow_back(&self.windows[&frame], &map, &self.windows[&before], &there);
        Ok(found.map(|at| at.distance(there.origin())))
    }
}

/// What a path against the whole shot's reference has to be moved by to pass through the guides.
struct Corrections(Vec<(Frame, Point)>);

impl Corrections {
    /// Between two guides in proportion, beyond the outermost as there.
    fn at(&self, frame: Frame) -> Point {
        let before = self.0.iter().rev().find(|(guide, _)| *guide <= frame);
        let after = self.0.iter().find(|(guide, _)| *guide >= frame);
        match (before, after) {
            (Some((first, by)), Some((last, to))) if first != last => {
                let share = first.until(frame) as f64 / first.until(*last) as f64;
                *by + (*to - *by) * share
            }
            (Some((_, by)), _) | (None, Some((_, by))) => *by,
            (None, None) => Point::default(),
        }
    }
}
