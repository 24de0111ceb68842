//! Going from frame to frame with a face, always compared with one picture of it.

use super::anchor::Anchor;
use super::bond::{Aligned, Bond};
use super::compared::Light;
use super::fit::{Fit, Settled, fit};
use super::model::nearest;
use super::place::{Place, placed, relative_map, whole_map};
use super::pyramid::Pyramid;
use super::search::{candidates, is_looked_for};
use super::subject::Subject;
use super::task::AreaTask;
use crate::geometry::{Homography, Point, Rect};
use crate::image::FrameSource;
use crate::locate::Sighting;
use crate::time::Frame;
use crate::track::{MotionModel, SampleState};

/// Below this correlation it is not the face. Higher, and it is lost when it is out of focus; lower, and other things
/// are taken for it.
const LEAST_MATCH: f64 = 0.55;
/// What may be left unexplained of the brightness: this many times what is usually left, ...
const UNUSUAL: f64 = 4.0;
/// ... but not less than this share. Larger, and a look-alike or what covers it is taken for it; smaller, and it is lost
/// when it blurs at once.
const ALWAYS_ALLOWED: f64 = 0.15;
/// Share of a frame's likeness in what is usual, where it is more and where it is less. As quick downwards as upwards,
/// and what slowly covers it becomes the usual.
const USUAL_CHANGE: [f64; 2] = [0.2, 0.01];
/// So near to the usual likeness, and with so much seen, nothing better is looked for.
const GOOD_WITHIN: f64 = 0.04;
const GOOD_SEEN: f64 = 0.4;
/// Share of the face in the picture that has to be seen. Lower, and what covers it carries it away.
const LEAST_SEEN: f64 = 0.22;
/// Share of the face that has to lie in the picture.
const LEAST_INSIDE: f64 = 0.12;
/// From one frame to the next it grows or shrinks by no more than this factor.
const MOST_GROWTH: f64 = 1.4;
/// A level on which the face has a smaller radius, in pixels, is aligned in place, turn and size only.
const RICH_RADIUS: f64 = 14.0;
/// A face that moves by more than this, in pixels a frame, may also have stopped.
const SURE_VELOCITY: f64 = 2.0;
/// What is read round where a face should be, in pixels.
const ROOM: f64 = 24.0;
/// Share of the velocity that is kept from one hidden frame to the next.
const KEPT_VELOCITY: f64 = 0.85;
/// How far a face is searched for round where it should be, in pixels, and how much further for each frame that it was
/// hidden; never further than it is large, there are more and more look-alikes. What went further is found by what it lies
/// on.
const REACH: f64 = 40.0;
const REACH_PER_FRAME: f64 = 6.0;
/// What comes back has to be known better than what stays: it leaves this many times what is usually left at most, ...
const BACK_UNUSUAL: f64 = 1.6;
/// ... and so much of it has to be seen.
const BACK_SEEN: f64 = 0.45;
/// Share of its perspective and shear that a rough place loses from frame to frame: half of it in a third of a second.
/// A guess at how fast people turn; others were not tried.
const STRAIGHTENED: f64 = 0.08;
/// How alike it is before anything is known: a soft or noisy film has no better.
const FIRST_USUAL: f64 = 0.9;

/// Going from frame to frame, always compared with the anchor's own picture.
#[derive(Clone)]
pub(super) struct Chain<'a> {
    anchor: &'a Anchor,
    task: &'a AreaTask,
    /// With the thing that it lies on.
    bond: Bond<'a>,
    motion: MotionModel,
    /// The part of the picture that is not a black border.
    filmed: Rect,
    /// From the face, counted from its middle, to the last frame.
    map: Homography,
    velocity: Point,
    softness: usize,
    /// The light on it of late.
    light: Option<Light>,
    /// How alike it was of late.
    usual: f64,
    hidden: u32,
}

impl<'a> Chain<'a> {
    pub fn new(anchor: &'a Anchor, task: &'a AreaTask, subject: &'a Subject, motion: MotionModel) -> Self {
        let map = Homography::shift(anchor.face.centre);
        Self {
            anchor,
            task,
            bond: Bond::new(subject),
            motion,
            filmed: subject.filmed().into(),
            map,
            velocity: Point::default(),
            softness: 0,
            light: None,
            usual: FIRST_USUAL,
            hidden: 0,
        }
    }

    /// The next frame. `known` is where it was the time before.
    pub fn step<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        known: Option<&Place>,
    ) -> Result<Place, S::Error> {
        let predicted = Homography::shift(self.velocity).after(&self.map);
        self.bond.look_at(frame);
        Ok(match self.find(source, frame, &predicted, known)? {
            Some(fit) => {
                self.velocity = if self.hidden == 0 { fit.map.origin() - self.map.origin() } else { Point::default() };
                (self.map, self.hidden) = (fit.map, 0);
                self.bond.seen(self.aligned(&fit));
                placed(&self.anchor.face, self.motion, &self.anchor.map, &fit)
            }
            None => match self.bond.sighting() {
                Some(sighting) => self.roughly(sighting),
                None => self.unseen(predicted),
            },
        })
    }

    /// With the thing that it lies on.
    fn roughly(&mut self, sighting: &Sighting) -> Place {
        let map = self.straightened(&self.carried(sighting));
        self.velocity = map.origin() - self.map.origin();
        (self.map, self.hidden) = (map, self.hidden + 1);
        self.bond.gone_along();
        let deviation = self.bond.deviation(sighting);
        Place::rough(self.whole(&self.map), sighting.likeness, deviation, self.anchor.face.centre)
    }

    /// A little nearer to how it was drawn, moved, turned and grown: who turns away does not keep the perspective in which
    /// the face was last seen.
    fn straightened(&self, map: &Homography) -> Homography {
        let face = &self.anchor.face;
        let from = face.corners().map(|corner| corner - face.centre);
        let now = from.map(|corner| map.apply(corner));
        let drawn = nearest(MotionModel::Scale, &from, &now);
        let to = [0, 1, 2, 3].map(|i| now[i] * (1.0 - STRAIGHTENED) + drawn.apply(from[i]) * STRAIGHTENED);
        let Some(map_there) = Homography::between(&from, &to) else { return *map };
        Homography::shift(self.middle(map) - self.middle(&map_there)).after(&map_there)
    }

    fn unseen(&mut self, predicted: Homography) -> Place {
        (self.map, self.hidden) = (predicted, self.hidden + 1);
        self.velocity = Point::new(self.velocity.x * KEPT_VELOCITY, self.velocity.y * KEPT_VELOCITY);
        let state = if self.is_in_picture() { SampleState::Hidden } else { SampleState::Outside };
        Place::predicted(self.whole(&self.map), state, self.anchor.face.centre)
    }

    /// For how many frames it has not been seen.
    pub fn hidden(&self) -> u32 {
        self.hidden
    }

    fn find<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        predicted: &Homography,
        known: Option<&Place>,
    ) -> Result<Option<Fit>, S::Error> {
        if self.task.is_hidden(frame) {
            return Ok(None);
        }
        if let Some(place) = known.filter(|place| place.is_exact())
            && let Some(fit) = self.once_more(source, frame, place)?
        {
            return Ok(Some(fit));
        }
        if !is_looked_for(self.hidden) || self.bond.is_out_of_sight() {
            return Ok(None);
        }
        // Who goes roughly with what it lies on is there, and nowhere else.
        if self.hidden > 0 && self.bond.sighting().is_some() {
            return self.elsewhere(source, frame, predicted);
        }
        match self.near(source, frame, predicted)? {
            Some(fit) => Ok(Some(fit)),
            None => self.elsewhere(source, frame, predicted),
        }
    }

    /// Where it was found the time before, with another motion.
    fn once_more<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        place: &Place,
    ) -> Result<Option<Fit>, S::Error> {
        let face = &self.anchor.face;
        let Some(map) = relative_map(face, &self.anchor.map, &place.map) else { return Ok(None) };
        let from = face.corners().map(|corner| corner - face.centre);
        let start = nearest(self.motion, &from, &from.map(|corner| map.apply(corner)));
        let Some(pyramid) = self.read(source, frame, self.seen_bounds(&start).widened(ROOM))? else { return Ok(None) };
        let fit = self.align(&pyramid, &start, 1).filter(|(fit, _)| self.is_it(fit));
        Ok(fit.map(|(fit, softness)| self.believed(fit, softness)))
    }

    fn read<S: FrameSource>(&self, source: &mut S, frame: Frame, part: Rect) -> Result<Option<Pyramid>, S::Error> {
        Pyramid::read(source, frame, part, (&self.task.kept_out(frame), self.anchor.face.looks()))
    }

    /// Where it should be, or where it was.
    fn near<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        predicted: &Homography,
    ) -> Result<Option<Fit>, S::Error> {
        let room = ROOM + 2.0 * self.velocity.length();
        let part = self.seen_bounds(predicted).widened(room);
        let Some(pyramid) = self.read(source, frame, part)? else { return Ok(None) };
        let mut starts = vec![*predicted];
        if self.velocity.length() > SURE_VELOCITY {
            starts.push(self.map);
        }
        Ok(self.best_of(&pyramid, &starts))
    }

    /// With what it lies on, where that is seen; else round where it should be, by its coarse picture.
    fn elsewhere<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        predicted: &Homography,
    ) -> Result<Option<Fit>, S::Error> {
        if let Some(sighting) = self.bond.sighting() {
            let start = self.carried(sighting);
            let part = self.seen_bounds(&start).widened(ROOM);
            let Some(pyramid) = self.read(source, frame, part)? else { return Ok(None) };
            return Ok(self.best_of(&pyramid, &[start]));
        }
        let seen = self.seen_bounds(predicted);
        let most = (seen.right - seen.left).max(seen.bottom - seen.top).max(REACH);
        let reach = (REACH + REACH_PER_FRAME * f64::from(self.hidden)).min(most);
        let Some(pyramid) = self.read(source, frame, seen.widened(reach + ROOM))? else { return Ok(None) };
        let starts = candidates(&self.anchor.face, &pyramid, predicted, reach);
        Ok(self.best_of(&pyramid, &starts))
    }

    /// As it was last seen, with the thing that it lies on.
    fn carried(&self, sighting: &Sighting) -> Homography {
        let grown = self.bond.grown(sighting);
        let grown = Homography::new([[grown, 0.0, 0.0], [0.0, grown, 0.0], [0.0, 0.0, 1.0]]);
        let map = self.map.after(&grown);
        Homography::shift(sighting.at - self.middle(&map)).after(&map)
    }

    fn whole(&self, map: &Homography) -> Homography {
        whole_map(&self.anchor.face, &self.anchor.map, map)
    }

    /// Where the middle of what was outlined is.
    fn middle(&self, map: &Homography) -> Point {
        self.whole(map).apply(self.bond.middle())
    }

    fn aligned(&self, fit: &Fit) -> Aligned {
        Aligned { middle: self.middle(&fit.map), matched: fit.matched }
    }

    fn is_good(&self, fit: &Fit) -> bool {
        fit.matched > self.usual - GOOD_WITHIN && fit.seen > GOOD_SEEN
    }

    /// What is seen from frame to frame as it always was.
    fn is_as_usual(&self, fit: &Fit) -> bool {
        self.hidden == 0 && self.is_good(fit)
    }

    /// The best of all starts. What is near enough is aligned finely at once: a coarse picture of a face that is half
    /// covered leads astray.
    fn best_of(&mut self, pyramid: &Pyramid, starts: &[Homography]) -> Option<Fit> {
        let mut best: Option<(Fit, usize)> = None;
        for levels in self.depths() {
            let fits = starts.iter().filter_map(|start| self.align(pyramid, start, levels));
            let fits = fits.filter(|(fit, _)| self.is_it(fit)).chain(best.take());
            best = fits.max_by(|(a, _), (b, _)| explained(a).total_cmp(&explained(b)));
            if best.as_ref().is_some_and(|(fit, _)| self.is_good(fit)) {
                break;
            }
        }
        let (fit, softness) = best?;
        Some(self.believed(fit, softness))
    }

    /// With how many levels it is begun, one after the other, until it is good.
    fn depths(&self) -> Vec<usize> {
        let all = self.anchor.face.levels.len();
        let mut depths = vec![1, all.min(3), all];
        depths.dedup();
        depths
    }

    /// Keeps in mind how it looked.
    fn believed(&mut self, fit: Fit, softness: usize) -> Fit {
        (self.softness, self.light) = (softness, Some(fit.light));
        let [up, down] = USUAL_CHANGE;
        let share = if fit.matched > self.usual { up } else { down };
        self.usual += share * (fit.matched - self.usual);
        fit
    }

    /// From the `count`th level down, with the softness that the frame turns out to have.
    fn align(&self, pyramid: &Pyramid, start: &Homography, count: usize) -> Option<(Fit, usize)> {
        let levels = &self.anchor.face.levels;
        let scale = start.warp().scale();
        let larger = scale.max(1e-3).log2().round() as i32;
        let coarsest = levels.len() - 1;
        let finest = ((-larger).max(0) as usize).min(coarsest);
        let coarsest = finest.saturating_add(count - 1).min(coarsest);
        let (mut map, mut softness, mut light, mut found) = (*start, self.softness, self.light, None);
        for level in (finest..=coarsest).rev() {
            let wanted = (level as i32 + larger).max(0) as usize;
            let picture = pyramid.level(wanted);
            let motion = if levels[level].radius < RICH_RADIUS && level > finest {
                self.motion.min(MotionModel::Scale)
            } else {
                self.motion
            };
            let settled = if level > finest { Settled::Roughly } else { Settled::Exactly };
            let aligned = |softness: usize, map: &Homography, motion: MotionModel| {
                fit((&levels[level], softness), picture, map, (motion, settled), light)
            };
            // A coarse level may have too little to say; the finer one decides.
            let all = aligned(softness, &map, motion);
            let Some(mut found_there) = all.or_else(|| aligned(softness, &map, MotionModel::Position)) else {
                continue;
            };
            let share = found_there.energy * levels[level].energy_share(softness);
            let better = levels[level].softness_of(share);
            if better != softness && level <= finest + 1 {
                softness = better;
                found_there = aligned(softness, &found_there.map, motion).unwrap_or(found_there);
            }
            (map, light) = (found_there.map, Some(found_there.light));
            found = Some(found_there);
        }
        found.map(|fit| (fit, softness))
    }

    fn is_it(&self, fit: &Fit) -> bool {
        let growth = fit.map.warp().scale() / self.map.warp().scale();
        let most = MOST_GROWTH.powf(1.0 + 0.1 * f64::from(self.hidden));
        let [[a, b, _], [c, d, _], _] = *fit.map.rows();
        let is_upright = a * d - b * c > 0.0;
        let (unusual, least_seen) = if self.hidden > 0 && self.bond.sighting().is_none() {
            (BACK_UNUSUAL, BACK_SEEN)
        } else {
            (UNUSUAL, LEAST_SEEN)
        };
        let left = (unusual * unexplained(self.usual)).clamp(ALWAYS_ALLOWED, unexplained(LEAST_MATCH));
        unexplained(fit.matched) <= left
            && fit.seen >= least_seen
            && fit.inside >= LEAST_INSIDE
            && is_upright
            && growth < most
            && growth > 1.0 / most
            && (self.hidden == 0 || self.bond.can_come_back(self.middle(&fit.map)))
            && !self.bond.is_elsewhere(self.aligned(fit), self.is_as_usual(fit))
    }

    /// The box round the face on a frame.
    fn seen_bounds(&self, map: &Homography) -> Rect {
        let face = &self.anchor.face;
        let seen = face.corners().map(|corner| map.apply(corner - face.centre));
        Rect::around_all(&seen).unwrap_or(face.bounds)
    }

    fn is_in_picture(&self) -> bool {
        let seen = self.seen_bounds(&self.map);
        let across = seen.right.min(self.filmed.right) - seen.left.max(self.filmed.left);
        let down = seen.bottom.min(self.filmed.bottom) - seen.top.max(self.filmed.top);
        let whole = (seen.right - seen.left) * (seen.bottom - seen.top);
        across > 0.0 && down > 0.0 && across * down > LEAST_INSIDE * whole
    }
}

/// How much of the frame a fit explains: what of the brightness it leaves open, over what is seen (in nats a sample).
fn explained(fit: &Fit) -> f64 {
    -fit.inside * fit.seen * unexplained(fit.matched).max(1e-4).ln()
}

/// Share of the brightness that a correlation leaves unexplained.
fn unexplained(matched: f64) -> f64 {
    1.0 - matched * matched
}
