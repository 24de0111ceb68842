//! Going from frame to frame with a surface, always compared with the picture in which it was drawn.

use super::fit::{Begin, Fit, Lighting, fit};
use super::light::KnotLight;
use super::part::Part;
use super::surface::Surface;
use crate::area::{Aligned, AreaTask, Bond, Pyramid, Subject, candidates, is_looked_for};
use crate::geometry::{Homography, Point, Rect, Size};
use crate::image::FrameSource;
use crate::locate::Sighting;
use crate::time::Frame;
use crate::track::{Covariance, Grasp, Sample, SampleState};

/// What it takes to believe that an alignment shows the surface.
struct Demand {
    /// Correlation of its detail, at least.
    matched: f64,
    /// Share of it in the picture that is seen, at least.
    seen: f64,
    /// Detail of the frame over what there should be, at most: something else has other detail, and mostly more.
    energy: f64,
}

/// Where it was on the frame before; and where it comes back, and a look-alike would be taken for it.
const STAYING: Demand = Demand { matched: 0.5, seen: 0.2, energy: 2.0 };
const BACK: Demand = Demand { matched: 0.85, seen: 0.7, energy: 1.5 };
/// Share of it that has to lie in the picture.
const LEAST_INSIDE: f64 = 0.1;
/// Share of the triangles that may be seen from behind: more, and the net has folded over where nothing held it.
const MOST_FLIPPED: f64 = 0.12;
/// From one frame to the next it grows or shrinks by no more than this factor.
const MOST_GROWTH: f64 = 1.35;
/// So well matched, and with so much seen, nothing better is looked for; nor where it is that nearly as well as on the
/// frame before.
const GOOD: [f64; 2] = [0.97, 0.6];
const NEARLY: [f64; 2] = [0.02, 0.1];
/// A knot of which more than this is seen is found.
const KNOT_SEEN: f64 = 0.5;
/// What is read round where it should be, in pixels.
const ROOM: f64 = 24.0;
/// How far a lost surface is searched for, in pixels, and how much further for each frame that it was hidden.
const REACH: f64 = 40.0;
const REACH_PER_FRAME: f64 = 6.0;
/// A knot with none round it that are seen goes as the whole; with some, as if the whole were so much of one.
const LEAN: f64 = 0.05;
/// Levels on which the light is sought anew, from the finest: on coarser ones it would take what is the motion's.
const LIT_LEVELS: usize = 2;
/// Share of the velocity that is kept from one frame to the next: cloth swings back.
const KEPT_VELOCITY: f64 = 0.8;

/// Going from frame to frame, always compared with the picture in which it was drawn.
#[derive(Clone)]
pub(super) struct Chain<'a> {
    surface: &'a Surface,
    task: &'a AreaTask,
    /// With the thing that it is on.
    bond: Bond<'a>,
    /// The part of the net that goes with that.
    part: Part,
    at: Vec<Point>,
    velocity: Vec<Point>,
    before: Before,
    hidden: u32,
}

/// What is known from the frame before.
#[derive(Clone)]
struct Before {
    softness: usize,
    lights: Vec<KnotLight>,
    /// What was enough of a match and of what is seen.
    enough: [f64; 2],
}

/// An alignment that is believed, with what the next frame begins with.
struct Found {
    fit: Fit,
    before: Before,
}

impl<'a> Chain<'a> {
    pub fn new(surface: &'a Surface, task: &'a AreaTask, subject: &'a Subject) -> Self {
        let at = surface.net.knots.clone();
        let velocity = vec![Point::default(); at.len()];
        let lights = vec![KnotLight::NONE; at.len()];
        let before = Before { softness: 0, lights, enough: GOOD };
        let part = Part::of(&surface.net, subject.middle(), subject.side_drawn());
        let part = part.expect("a net that is followed has triangles");
        Self { surface, task, bond: Bond::new(subject), part, at, velocity, before, hidden: 0 }
    }

    /// The next frame: a sample for each knot.
    pub fn step<S: FrameSource>(&mut self, source: &mut S, frame: Frame) -> Result<Vec<Sample>, S::Error> {
        let foreseen: Vec<Point> =
            self.at.iter().zip(&self.velocity).map(|(at, by)| *at + *by * KEPT_VELOCITY).collect();
        self.bond.look_at(frame);
        let found = if self.is_sought_on(frame) { self.find(source, frame, &foreseen)? } else { None };
        let Some(Found { fit, before }) = found else {
            return Ok(match self.bond.sighting() {
                Some(sighting) => self.roughly(sighting, source.size()),
                None => self.lose(foreseen, source.size()),
            });
        };
        self.velocity = match self.hidden {
            0 => self.velocities(&fit),
            _ => vec![Point::default(); self.at.len()],
        };
        (self.hidden, self.before) = (0, before);
        self.bond.seen(self.aligned(&fit));
        self.at.clone_from(&fit.at);
        Ok(samples(&fit, source.size()))
    }

    /// For how many frames it has not been seen.
    pub fn hidden(&self) -> u32 {
        self.hidden
    }

    fn is_sought_on(&self, frame: Frame) -> bool {
        let is_asked =
            self.task.guides.contains_key(&frame) || is_looked_for(self.hidden) && !self.bond.is_out_of_sight();
        is_asked && !self.task.is_hidden(frame)
    }

    /// How far the knots have gone since the frame before: each as those round it that are seen. One that nothing holds
    /// would run away by itself.
    fn velocities(&self, fit: &Fit) -> Vec<Point> {
        let moved: Vec<Point> = fit.at.iter().zip(&self.at).map(|(now, before)| *now - *before).collect();
        let seen = &fit.seen_by_knot;
        let all = moved.iter().zip(seen).fold(Point::default(), |sum, (by, seen)| sum + *by * *seen);
        let whole = all * (1.0 / seen.iter().sum::<f64>().max(1e-9));
        let of_knot = |(knot, near): (usize, &Vec<usize>)| {
            let ring = near.iter().chain(std::iter::once(&knot));
            let (sum, weight) = ring.fold((whole * LEAN, LEAN), |(sum, weight), other| {
                (sum + moved[*other] * seen[*other], weight + seen[*other])
            });
            sum * (1.0 / weight)
        };
        self.surface.neighbours.iter().enumerate().map(of_knot).collect()
    }

    /// With the thing that it is on.
    fn roughly(&mut self, sighting: &Sighting, size: Size) -> Vec<Sample> {
        let at = self.carried(sighting);
        self.velocity = at.iter().zip(&self.at).map(|(now, before)| *now - *before).collect();
        (self.at, self.hidden) = (at, self.hidden + 1);
        self.bond.gone_along();
        let variance = self.bond.deviation(sighting).powi(2);
        let covariance = Covariance::new([variance, 0.0, variance]);
        let rough = |at: &Point| match unseen_at(*at, size) {
            SampleState::Outside => Sample::bare(*at, 0.0, Covariance::default(), SampleState::Outside),
            _ => Sample::bare(*at, sighting.likeness.clamp(0.0, 1.0), covariance, SampleState::Found),
        };
        self.at.iter().map(|at| Sample { solved: true, grasp: Grasp::Rough, ..rough(at) }).collect()
    }

    /// As it lay last, with the thing that it is on.
    fn carried(&self, sighting: &Sighting) -> Vec<Point> {
        let (middle, grown) = (self.middle(&self.at), self.bond.grown(sighting));
        self.at.iter().map(|at| sighting.at + (*at - middle) * grown).collect()
    }

    /// Goes on unseen.
    fn lose(&mut self, foreseen: Vec<Point>, size: Size) -> Vec<Sample> {
        self.hidden += 1;
        self.velocity.iter_mut().for_each(|by| *by = *by * KEPT_VELOCITY);
        self.at = foreseen;
        let unseen = |at: &Point| Sample::bare(*at, 0.0, Covariance::default(), unseen_at(*at, size));
        self.at.iter().map(|at| Sample { solved: true, ..unseen(at) }).collect()
    }

    /// How far from where it is foreseen it is searched for, in pixels: never further than it is large, there are more and
    /// more look-alikes.
    fn reach(&self) -> f64 {
        let longer = |part: Rect| (part.right - part.left).max(part.bottom - part.top);
        let most = Rect::around_all(&self.at).map_or(0.0, longer);
        if self.hidden > 0 { (REACH + REACH_PER_FRAME * f64::from(self.hidden)).min(most) } else { 0.0 }
    }

    /// Where it could be besides: where a person has put it; if it was lost, with the thing that it is on, or as it lay last,
    /// elsewhere.
    fn elsewhere(&self, frame: Frame, pyramid: &Pyramid, reach: f64) -> Vec<Vec<Point>> {
        if let Some(guide) = self.task.guides.get(&frame) {
            return vec![self.surface.net.knots.iter().map(|knot| guide.apply(*knot)).collect()];
        }
        if let Some(sighting) = self.bond.sighting() {
            return vec![self.carried(sighting)];
        }
        if self.hidden == 0 {
            return Vec::new();
        }
        let centre = self.surface.face.centre;
        let scale = self.surface.scale(&self.at);
        let last = self.surface.net.spot(&self.surface.net.knots, centre);
        let Some(at) = last.map(|spot| self.surface.net.place(&self.at, spot)) else { return Vec::new() };
        let last = Homography::new([[scale, 0.0, at.x], [0.0, scale, at.y], [0.0, 0.0, 1.0]]);
        let moved = |map: Homography| {
            let by = map.origin() - at;
            self.at.iter().map(|knot| *knot + by).collect()
        };
        candidates(&self.surface.face, pyramid, &last, reach).into_iter().map(moved).collect()
    }

    fn find<S: FrameSource>(
        &self,
        source: &mut S,
        frame: Frame,
        foreseen: &[Point],
    ) -> Result<Option<Found>, S::Error> {
        let all: Vec<Point> = foreseen.iter().chain(&self.at).copied().collect();
        let reach = self.reach();
        let guide = self.task.guides.get(&frame);
        let guided = guide.into_iter().flat_map(|map| self.surface.net.knots.iter().map(|knot| map.apply(*knot)));
        let carried = self.bond.sighting().map(|sighting| self.carried(sighting)).into_iter().flatten();
        let all: Vec<Point> = all.into_iter().chain(guided).chain(carried).collect();
        let Some(part) = Rect::around_all(&all).map(|part| part.widened(ROOM + reach)) else { return Ok(None) };
        let looks = (&self.task.kept_out(frame)[..], self.surface.face.looks());
        let Some(pyramid) = Pyramid::read(source, frame, part, looks)? else { return Ok(None) };
        let others = self.elsewhere(frame, &pyramid, reach);
        // What goes roughly with the thing that it is on is there, and nowhere else.
        let goes_along = self.hidden > 0 && self.bond.sighting().is_some();
        let near = if goes_along { &[][..] } else { &[foreseen, &self.at[..]][..] };
        let starts = near.iter().copied().chain(others.iter().map(Vec::as_slice));
        let mut best: Option<Found> = None;
        // Where it should be; only if that is not good enough elsewhere.
        for start in starts {
            let found = self.align(&pyramid, start).filter(|found| self.is_it(&found.fit));
            let better = |found: &Found| best.as_ref().is_none_or(|best| worth(&found.fit) > worth(&best.fit));
            if let Some(found) = found.filter(better) {
                best = Some(found);
            }
            let [matched, seen] = self.before.enough;
            if best.as_ref().is_some_and(|best| best.fit.matched > matched && best.fit.seen > seen) {
                break;
            }
        }
        Ok(best)
    }

    /// From the coarsest level down, with the softness that the frame turns out to have.
    fn align(&self, pyramid: &Pyramid, start: &[Point]) -> Option<Found> {
        let levels = &self.surface.face.levels;
        let larger = self.surface.scale(start).clamp(1e-3, 1e3).log2().round() as i32;
        let finest = ((-larger).max(0) as usize).min(levels.len() - 1);
        let (mut at, mut before, mut found) = (start.to_vec(), self.before.clone(), None);
        for level in (finest..levels.len()).rev() {
            let picture = pyramid.level((level as i32 + larger).max(0) as usize);
            let lighting = if level < finest + LIT_LEVELS { Lighting::Found } else { Lighting::Carried };
            let aligned = |at: &[Point], before: &Before| {
                let begin = Begin { at, foreseen: start, lights: &before.lights };
                fit(self.surface, (level, before.softness), picture, &begin, lighting)
            };
            let Some((mut fit, mut lights)) = aligned(&at, &before) else { continue };
            let better = levels[level].softness_of(fit.energy * levels[level].energy_share(before.softness));
            if better != before.softness && level <= finest + 1 {
                before.softness = better;
                if let Some(again) = aligned(&fit.at, &before) {
                    (fit, lights) = again;
                }
            }
            at.clone_from(&fit.at);
            before.lights = lights;
            found = Some(fit);
        }
        let fit = found?;
        before.enough = [GOOD[0].min(fit.matched - NEARLY[0]), GOOD[1].min(fit.seen - NEARLY[1])];
        Some(Found { fit, before })
    }

    fn is_it(&self, fit: &Fit) -> bool {
        let growth = self.surface.scale(&fit.at) / self.surface.scale(&self.at).max(1e-6);
        let most = MOST_GROWTH.powf(1.0 + 0.1 * f64::from(self.hidden));
        let demand = if self.hidden > 0 && self.bond.sighting().is_none() { BACK } else { STAYING };
        fit.matched > demand.matched
            && fit.seen > demand.seen
            && fit.energy < demand.energy
            && fit.inside > LEAST_INSIDE
            && growth < most
            && growth > 1.0 / most
            && self.surface.flipped(&fit.at) < MOST_FLIPPED
            && (self.hidden == 0 || self.bond.can_come_back(self.middle(&fit.at)))
            && !self.bond.is_elsewhere(self.aligned(fit), self.is_as_usual(fit))
    }

    fn aligned(&self, fit: &Fit) -> Aligned {
        Aligned { middle: self.middle(&fit.at), matched: fit.matched }
    }

    /// What is seen from frame to frame as it always was.
    fn is_as_usual(&self, fit: &Fit) -> bool {
        let [matched, seen] = self.before.enough;
        self.hidden == 0 && fit.matched > matched && fit.seen > seen
    }

    /// Where the middle is of what goes with the thing.
    fn middle(&self, at: &[Point]) -> Point {
        self.part.middle(&self.surface.net, at)
    }
}

/// How much of the frame it explains (in nats a sample).
fn worth(fit: &Fit) -> f64 {
    -fit.inside * fit.seen * (1.0 - fit.matched * fit.matched).max(1e-4).ln()
}

fn unseen_at(at: Point, size: Size) -> SampleState {
    let is_in = at.x >= 0.0 && at.y >= 0.0 && at.x < f64::from(size.width) && at.y < f64::from(size.height);
    if is_in { SampleState::Hidden } else { SampleState::Outside }
}

fn samples(fit: &Fit, size: Size) -> Vec<Sample> {
    let mut scratch = Vec::new();
    let mut sample = |(knot, at): (usize, &Point)| {
        let covariance = Covariance::new(fit.equations.inverse_block(2 * knot, &mut scratch));
        let is_seen = fit.seen_by_knot[knot] > KNOT_SEEN;
        let state = if is_seen { SampleState::Found } else { unseen_at(*at, size) };
        Sample { solved: true, ..Sample::bare(*at, fit.matched, covariance, state) }
    };
    fit.at.iter().enumerate().map(&mut sample).collect()
}
