//! A face over a whole shot.

use std::collections::BTreeMap;

use super::face::Face;
use super::fit::{Fit, Light, fit};
use super::model::{least_that_explains, richest_fixed};
use super::outline::Outline;
use super::place::{Place, placed, whole_map};
use super::pyramid::Pyramid;
use super::search::candidates;
use crate::geometry::{Homography, Point, Rect, Size};
use crate::image::FrameSource;
use crate::time::{Frame, FrameRange};
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
/// How far a lost face is searched for, in pixels, and how much further for each frame that it was hidden, beside what
/// it moved by. Larger, and a look-alike is found sooner than the face.
const REACH: f64 = 40.0;
const REACH_PER_FRAME: f64 = 2.0;
const MOST_REACH: f64 = 400.0;
/// What comes back has to be known better than what stays: it leaves this many times what is usually left at most, ...
const BACK_UNUSUAL: f64 = 1.6;
/// ... and so much of it has to be seen.
const BACK_SEEN: f64 = 0.45;
/// How alike it is before anything is known: a soft or noisy film has no better.
const FIRST_USUAL: f64 = 0.9;

/// What is to be followed.
#[derive(Clone, Debug)]
pub struct Area {
    /// The frame on which it was outlined.
    pub frame: Frame,
    /// What is round it there.
    pub outline: Outline,
    /// What is left out of it there.
    pub keep_outs: Vec<Outline>,
    /// How much of its motion counts; nothing for as little as explains it.
    pub motion: Option<MotionModel>,
    /// Where a person has put it on other frames: maps from the picture in which it was outlined.
    pub guides: Vec<(Frame, Homography)>,
}

/// Where a face is on every frame.
#[derive(Clone, Debug)]
pub struct AreaSolution {
    /// By frame.
    pub places: BTreeMap<Frame, Place>,
    /// How much of the motion was needed.
    pub motion: MotionModel,
}

/// Follows a face through `part` of a film, which holds the frame on which it was outlined. `None` where there is
/// nothing within the outline that could be followed.
pub fn solve_area<S: FrameSource>(
    source: &mut S,
    area: &Area,
    part: FrameRange,
) -> Result<Option<AreaSolution>, S::Error> {
    let Some(anchors) = anchors(source, area, part)? else { return Ok(None) };
    let Some(richest) = richest_fixed(source, &anchors[0].face, area.frame)? else { return Ok(None) };
    let most = area.motion.map_or(richest, |asked| asked.min(richest));
    let places = go_through(source, &anchors, most, part)?;
    let needed = area.motion.map_or_else(|| least_that_explains(&places, most, &area.outline), |_| most);
    if needed == most {
        return Ok(Some(AreaSolution { places, motion: most }));
    }
    let places = go_through(source, &anchors, needed, part)?;
    Ok(Some(AreaSolution { places, motion: needed }))
}

/// A frame on which somebody has said where the face is: the first is the one on which it was outlined.
struct Anchor {
    frame: Frame,
    /// From the picture in which it was outlined.
    map: Homography,
    face: Face,
}

fn anchors<S: FrameSource>(source: &mut S, area: &Area, part: FrameRange) -> Result<Option<Vec<Anchor>>, S::Error> {
    let own = (area.frame, Homography::shift(Point::default()));
    let guides = area.guides.iter().copied().filter(|(frame, _)| *frame != area.frame && part.contains(*frame));
    let mut anchors = Vec::new();
    for (frame, map) in std::iter::once(own).chain(guides) {
        let outline = area.outline.seen_through(&map);
        let keep_outs: Vec<Outline> = area.keep_outs.iter().map(|out| out.seen_through(&map)).collect();
        match Face::pick(source, frame, &outline, &keep_outs)? {
            Some(face) => anchors.push(Anchor { frame, map, face }),
            None if anchors.is_empty() => return Ok(None),
            // There the first picture has to do.
            None => {}
        }
    }
    Ok(Some(anchors))
}

/// From every anchor both ways; between two anchors both have their say.
fn go_through<S: FrameSource>(
    source: &mut S,
    anchors: &[Anchor],
    motion: MotionModel,
    part: FrameRange,
) -> Result<BTreeMap<Frame, Place>, S::Error> {
    let mut order: Vec<&Anchor> = anchors.iter().collect();
    order.sort_by_key(|anchor| anchor.frame);
    let mut places = BTreeMap::new();
    for (i, anchor) in order.iter().enumerate() {
        places.insert(anchor.frame, Place::bare(anchor.map, SampleState::Guide, anchors[0].face.centre));
        if i == 0 {
            places.extend(Chain::new(anchor, motion).follow(source, backward(anchor.frame, part.first))?);
        }
        let Some(next) = order.get(i + 1) else {
            places.extend(Chain::new(anchor, motion).follow(source, forward(anchor.frame, part.last))?);
            continue;
        };
        let last = Frame(next.frame.0 - 1);
        let there = Chain::new(anchor, motion).follow(source, forward(anchor.frame, last))?;
        let back = Chain::new(next, motion).follow(source, backward(next.frame, Frame(anchor.frame.0 + 1)))?;
        for (frame, one) in there {
            let share = f64::from(frame.0 - anchor.frame.0) / f64::from(next.frame.0 - anchor.frame.0);
            let other = back.get(&frame).cloned();
            places.insert(frame, other.map_or(one.clone(), |other| joined(one, other, share)));
        }
    }
    Ok(places)
}

fn forward(from: Frame, last: Frame) -> Vec<Frame> {
    (from.0 + 1..=last.0).map(Frame).collect()
}

fn backward(from: Frame, first: Frame) -> Vec<Frame> {
    (first.0..from.0).rev().map(Frame).collect()
}

/// Of two opinions: the one that sees it; where both do, one goes over into the other.
fn joined(one: Place, other: Place, share: f64) -> Place {
    let mix = |row: usize, col: usize| (1.0 - share) * one.map.rows()[row][col] + share * other.map.rows()[row][col];
    let mixed = Homography::new([0, 1, 2].map(|row| [0, 1, 2].map(|col| mix(row, col))));
    let seen = [&one, &other].map(|place| place.state == SampleState::Found);
    let nearer = if share < 0.5 { one.clone() } else { other.clone() };
    match seen {
        [true, false] => one,
        [false, true] => other,
        [false, false] => nearer,
        [true, true] => Place { map: mixed, ..nearer },
    }
}

/// Going from frame to frame, always compared with the anchor's own picture.
struct Chain<'a> {
    anchor: &'a Anchor,
    motion: MotionModel,
    /// From the face, counted from its middle, to the last frame.
    map: Homography,
    velocity: Point,
    /// How fast it was when it was last seen, in pixels a frame.
    speed: f64,
    softness: usize,
    /// The light on it of late.
    light: Option<Light>,
    /// How alike it was of late.
    usual: f64,
    hidden: u32,
}

impl<'a> Chain<'a> {
    fn new(anchor: &'a Anchor, motion: MotionModel) -> Self {
        let map = Homography::shift(anchor.face.centre);
        Self {
            anchor,
            motion,
            map,
            velocity: Point::default(),
            softness: 0,
            light: None,
            usual: FIRST_USUAL,
            speed: 0.0,
            hidden: 0,
        }
    }

    fn follow<S: FrameSource>(
        mut self,
        source: &mut S,
        frames: Vec<Frame>,
    ) -> Result<BTreeMap<Frame, Place>, S::Error> {
        let mut places = BTreeMap::new();
        for frame in frames {
            places.insert(frame, self.step(source, frame)?);
        }
        Ok(places)
    }

    fn step<S: FrameSource>(&mut self, source: &mut S, frame: Frame) -> Result<Place, S::Error> {
        let predicted = Homography::shift(self.velocity).after(&self.map);
        let found = match self.near(source, frame, &predicted)? {
            Some(fit) => Some(fit),
            None => self.anywhere(source, frame, &predicted)?,
        };
        Ok(match found {
            Some(fit) => {
                self.velocity = if self.hidden == 0 { fit.map.origin() - self.map.origin() } else { Point::default() };
                (self.map, self.hidden) = (fit.map, 0);
                self.speed = self.velocity.length();
                placed(&self.anchor.face, self.motion, &self.anchor.map, &fit)
            }
            None => {
                (self.map, self.hidden) = (predicted, self.hidden + 1);
                self.velocity = Point::new(self.velocity.x * KEPT_VELOCITY, self.velocity.y * KEPT_VELOCITY);
                let state = if self.is_in(source.size()) { SampleState::Hidden } else { SampleState::Outside };
                Place::bare(whole_map(&self.anchor.face, &self.anchor.map, &self.map), state, self.anchor.face.centre)
            }
        })
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
        let Some(pyramid) = Pyramid::read(source, frame, part)? else { return Ok(None) };
        let mut starts = vec![*predicted];
        if self.velocity.length() > SURE_VELOCITY {
            starts.push(self.map);
        }
        Ok(self.best_of(&pyramid, &starts))
    }

    /// Further off, by its coarse picture.
    fn anywhere<S: FrameSource>(
        &mut self,
        source: &mut S,
        frame: Frame,
        predicted: &Homography,
    ) -> Result<Option<Fit>, S::Error> {
        let reach = (REACH + (REACH_PER_FRAME + self.speed) * f64::from(self.hidden)).min(MOST_REACH);
        let part = self.seen_bounds(predicted).widened(reach + ROOM);
        let Some(pyramid) = Pyramid::read(source, frame, part)? else { return Ok(None) };
        let starts = candidates(&self.anchor.face, &pyramid, predicted, reach);
        Ok(self.best_of(&pyramid, &starts))
    }

    /// The best of all starts. What is near enough is aligned finely at once: a coarse picture of a face that is half
    /// covered leads astray.
    fn best_of(&mut self, pyramid: &Pyramid, starts: &[Homography]) -> Option<Fit> {
        let mut best: Option<(Fit, usize)> = None;
        for levels in [1, 3, usize::MAX] {
            let fits = starts.iter().filter_map(|start| self.align(pyramid, start, levels));
            let fits = fits.filter(|(fit, _)| self.is_it(fit)).chain(best.take());
            best = fits.max_by(|(a, _), (b, _)| explained(a).total_cmp(&explained(b)));
            if best.as_ref().is_some_and(|(fit, _)| fit.matched > self.usual - GOOD_WITHIN && fit.seen > GOOD_SEEN) {
                break;
            }
        }
        let (fit, softness) = best?;
        (self.softness, self.light) = (softness, Some(fit.light));
        let [up, down] = USUAL_CHANGE;
        let share = if fit.matched > self.usual { up } else { down };
        self.usual += share * (fit.matched - self.usual);
        Some(fit)
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
            let (zoom, patch) = pyramid.level(wanted);
            let motion = if levels[level].radius < RICH_RADIUS && level > finest {
                self.motion.min(MotionModel::Scale)
            } else {
                self.motion
            };
            let zoom = f64::from(1u32 << zoom);
            let aligned = fit((&levels[level], softness), (patch, zoom), &map, motion, light);
            // A coarse level may have too little to say; the finer one decides.
            let Some(mut aligned) =
                aligned.or_else(|| fit((&levels[level], softness), (patch, zoom), &map, MotionModel::Position, light))
            else {
                continue;
            };
            let share = aligned.energy * levels[level].energy_share(softness);
            let better = levels[level].softness_of(share);
            if better != softness && level <= finest + 1 {
                softness = better;
                aligned =
                    fit((&levels[level], softness), (patch, zoom), &aligned.map, motion, light).unwrap_or(aligned);
            }
            (map, light) = (aligned.map, Some(aligned.light));
            found = Some(aligned);
        }
        found.map(|fit| (fit, softness))
    }

    fn is_it(&self, fit: &Fit) -> bool {
        let growth = fit.map.warp().scale() / self.map.warp().scale();
        let most = MOST_GROWTH.powf(1.0 + 0.1 * f64::from(self.hidden));
        let [[a, b, _], [c, d, _], _] = *fit.map.rows();
        let is_upright = a * d - b * c > 0.0;
        let (unusual, least_seen) = if self.hidden > 0 { (BACK_UNUSUAL, BACK_SEEN) } else { (UNUSUAL, LEAST_SEEN) };
        let left = (unusual * unexplained(self.usual)).clamp(ALWAYS_ALLOWED, unexplained(LEAST_MATCH));
        unexplained(fit.matched) <= left
            && fit.seen >= least_seen
            && fit.inside >= LEAST_INSIDE
            && is_upright
            && growth < most
            && growth > 1.0 / most
    }

    /// The box round the face on a frame.
    fn seen_bounds(&self, map: &Homography) -> Rect {
        let face = &self.anchor.face;
        let seen = face.corners().map(|corner| map.apply(corner - face.centre));
        Rect::around_all(&seen).unwrap_or(face.bounds)
    }

    fn is_in(&self, size: Size) -> bool {
        let seen = self.seen_bounds(&self.map);
        let across = seen.right.min(f64::from(size.width)) - seen.left.max(0.0);
        let down = seen.bottom.min(f64::from(size.height)) - seen.top.max(0.0);
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
