//! What a face looks like on the frame on which it was outlined.

use super::outline::Outline;
use super::plain::Plain;
use super::pyramid::{Looks, PictureLevel, Pyramid};
use crate::geometry::{Homography, Point, Rect};
use crate::image::{Blur, FrameSource, PatchSamples, noise_of};
use crate::time::Frame;

/// Samples of the finest level that are compared at most. More tell little more and cost as much again.
const MOST_SAMPLES: usize = 5_000;
/// ... and of a coarser one, from which a finer one goes on. With as many as on the finest nothing is better on real film, in
/// boxes of 120 px.
const MOST_COARSE_SAMPLES: usize = 2_500;
/// A level with fewer samples says too little.
const LEAST_SAMPLES: usize = 40;
/// Pixels of the box round a face at most: where a person has put it larger than any picture, that is not looked at.
const MOST_PIXELS: f64 = 1.6e7;
/// Share of them with the strongest gradients; the rest is spread, so that what covers a bare part is seen too.
const STRONGEST: f64 = 0.7;
/// The coarsest level has this many pixels across at least.
const LEAST_ACROSS: f64 = 14.0;
/// The limit of residuals of an edge, as a share of its contrast: more, and other edges behind it count; less, and it
/// does not count any more where it is off.
const EDGE_LIMIT: f64 = 0.6;
/// Room round the face that is kept for softening it, in pixels.
const ROOM: f64 = 20.0;
/// How soft the face can be had, as standard deviations in pixels of the full size.
pub(crate) const SOFTNESS: [f64; 9] = [0.0, 0.7, 1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.5];
/// The limit of residuals never falls below this, in grey levels: rounding alone reaches half of one.
const LEAST_LIMIT: f64 = 3.0;
/// Where the inside has less gradient than this, in grey levels a pixel, its edge is taken with it, ...
const BARE: f64 = 3.0;
/// ... by so much of its size to each side.
const EDGE: f64 = 0.12;

/// One level of a face: samples within its outline, counted from its middle in pixels of that level.
pub(crate) struct Level {
    /// Pixels of the picture for each of this level.
    pub step: f64,
    /// Where each sample is.
    pub points: Vec<[f32; 2]>,
    /// Half of the larger side, in pixels of the level.
    pub radius: f64,
    /// The limit of residuals never falls below this, in grey levels.
    pub least_limit: f64,
    /// Values and derivatives for each softness.
    soft: Vec<Vec<[f32; 3]>>,
    /// Mean squared gradient for each softness.
    energy: Vec<f64>,
}

/// A face, fine to coarse.
pub(crate) struct Face {
    /// Its middle, in the picture.
    pub centre: Point,
    /// The box round its outline.
    pub bounds: Rect,
    pub levels: Vec<Level>,
    /// Whether nothing but its edge tells where it is.
    pub by_edge: bool,
    /// Whether it is round, too, as far as that is known: its edge looks the same however it turns.
    pub is_round: bool,
    /// Standard deviation of the noise of the picture in and round it, in grey levels.
    pub noise: f64,
}

impl Face {
    /// Picks what lies inside of `outline` and outside of all `keep_outs`; `None` where that is next to nothing.
    pub fn pick<S: FrameSource>(
        source: &mut S,
        frame: Frame,
        outline: &Outline,
        keep_outs: &[Outline],
    ) -> Result<Option<Self>, S::Error> {
        let Some(bounds) = outline.bounds().filter(|bounds| pixels_of(*bounds) <= MOST_PIXELS) else { return Ok(None) };
        let middle = bounds.middle();
        // On the middle of a pixel, so that the finest level is sampled where the pixels are.
        let centre = Point::new(middle.x.floor() + 0.5, middle.y.floor() + 0.5);
        let Some(pyramid) = Pyramid::read(source, frame, bounds.widened(ROOM), (&[], Looks::Brightness))? else {
            return Ok(None);
        };
        let noise = noise_of(&pyramid.window(0).1.plane);
        let is_in = |at: Point| outline.contains(at) && !keep_outs.iter().any(|out| out.contains(at));
        let mut levels = Vec::new();
        let sides = [bounds.right - bounds.left, bounds.bottom - bounds.top];
        let mut across = sides[0].min(sides[1]);
        while let Some(level) = Level::pick(&pyramid, levels.len(), (centre, sides), &is_in, Keep::Telling) {
            levels.push(level);
            across /= 2.0;
            if across < LEAST_ACROSS {
                break;
            }
        }
        let deep_inside = |at: Point| is_in(centre + (at - centre) * (1.0 + 2.0 * EDGE));
        let by_edge = levels.first().is_some_and(|level| level.is_bare(centre, &deep_inside));
        let mut is_round = false;
        if by_edge {
            // Nothing inside: what there is is its edge.
            let wide = widened(outline, centre, 1.0 + 2.0 * EDGE);
            let plain = Plain::find(&pyramid, centre, outline, &wide);
            is_round = plain.as_ref().is_none_or(|plain| plain.is_round);
            let belongs = |at: Point| plain.as_ref().map_or_else(|| wide.contains(at), |plain| plain.contains(at));
            let with_edge = |at: Point| belongs(at) && !keep_outs.iter().any(|out| out.contains(at));
            let sides = sides.map(|side| side * (1.0 + 2.0 * EDGE));
            let count = levels.len();
            let edges = Pyramid::read(source, frame, bounds.widened(ROOM), (&[], Looks::Edges))?;
            let pyramid = edges.unwrap_or(pyramid);
            levels =
                (0..count).filter_map(|n| Level::pick(&pyramid, n, (centre, sides), &with_edge, Keep::Flat)).collect();
            levels.iter_mut().for_each(Level::compare_edges);
        }
        Ok((!levels.is_empty()).then_some(Self { centre, bounds, levels, by_edge, is_round, noise }))
    }

    /// What of the pictures is compared.
    pub fn looks(&self) -> Looks {
        if self.by_edge { Looks::Edges } else { Looks::Brightness }
    }

    /// The corners of the box round it.
    pub fn corners(&self) -> [Point; 4] {
        self.bounds.corners()
    }
}

fn pixels_of(bounds: Rect) -> f64 {
    (bounds.right - bounds.left) * (bounds.bottom - bounds.top)
}

fn widened(outline: &Outline, centre: Point, factor: f64) -> Outline {
    let wide =
        |point: &Point| Point::new(centre.x + factor * (point.x - centre.x), centre.y + factor * (point.y - centre.y));
    Outline(outline.0.iter().map(wide).collect())
}

impl Level {
    fn pick(
        pyramid: &Pyramid,
        level: usize,
        (centre, sides): (Point, [f64; 2]),
        is_in: &impl Fn(Point) -> bool,
        keep: Keep,
    ) -> Option<Self> {
        let PictureLevel { patch, zoom, .. } = pyramid.level(level);
        let step = f64::from(1u32 << level);
        if zoom != step {
            return None;
        }
        let room = (ROOM / step).ceil() as usize;
        let [cols, rows] = sides.map(|side| (side / step / 2.0).ceil() as usize * 2 + 1 + 2 * room);
        let (half_x, half_y) = ((cols / 2) as f64, (rows / 2) as f64);
        let at = |i: usize| [(i % cols) as f64 - half_x, (i / cols) as f64 - half_y];
        let map = Homography::shift(Point::new(centre.x / step, centre.y / step));
        let grid: Vec<[f32; 2]> = (0..cols * rows).map(|i| at(i).map(|value| value as f32)).collect();
        let sampled: Vec<Option<[f32; 3]>> = patch.sample_points(&map, &grid).collect();
        let inside = |i: usize| {
            let [u, v] = at(i);
            sampled[i].is_some() && is_in(Point::new(centre.x + step * u, centre.y + step * v))
        };
        let mut chosen: Vec<usize> = (0..cols * rows).filter(|&i| inside(i)).collect();
        if chosen.len() < LEAST_SAMPLES {
            return None;
        }
        let most = if level == 0 { MOST_SAMPLES } else { MOST_COARSE_SAMPLES };
        thin(&mut chosen, &sampled, (keep, most));
        let samples = grid_samples(&sampled);
        let soft: Vec<Vec<[f32; 3]>> =
            SOFTNESS.iter().map(|sigma| softened(&samples, cols, sigma / step, &chosen)).collect();
        let squares = |of: &[f32; 3]| f64::from(of[1] * of[1] + of[2] * of[2]);
        let energy = soft.iter().map(|all| all.iter().map(squares).sum::<f64>() / all.len() as f64).collect();
        let radius = sides[0].max(sides[1]) / step / 2.0;
        Some(Self {
            step,
            points: chosen.iter().map(|&i| grid[i]).collect(),
            radius,
            least_limit: LEAST_LIMIT,
            soft,
            energy,
        })
    }

    /// Where it is off, the edge is off by all of its contrast, and has to count nevertheless.
    fn compare_edges(&mut self) {
        let mut values: Vec<f32> = self.soft[0].iter().map(|sample| sample[0]).collect();
        values.sort_by(f32::total_cmp);
        let at = |share: f64| f64::from(values[(share * (values.len() - 1) as f64) as usize]);
        self.least_limit = self.least_limit.max(EDGE_LIMIT * (at(0.9) - at(0.1)));
    }

    /// The samples, softened by one of [`SOFTNESS`].
    pub fn samples(&self, softness: usize) -> &[[f32; 3]] {
        &self.soft[softness]
    }

    /// The softness at which the face has this mean squared gradient, relative to what it has as it is.
    pub fn softness_of(&self, share: f64) -> usize {
        let off = |energy: f64| (energy / self.energy[0].max(1e-9)).max(1e-6).ln() - share.max(1e-6).ln();
        let nearest = |(_, a): &(usize, &f64), (_, b): &(usize, &f64)| off(**a).abs().total_cmp(&off(**b).abs());
        self.energy.iter().enumerate().min_by(nearest).map_or(0, |(index, _)| index)
    }

    /// What is left of the mean squared gradient at a softness.
    pub fn energy_share(&self, softness: usize) -> f64 {
        self.energy[softness] / self.energy[0].max(1e-9)
    }

    /// Whether there is hardly any gradient in a part of it.
    fn is_bare(&self, centre: Point, part: &impl Fn(Point) -> bool) -> bool {
        let place = |[u, v]: &[f32; 2]| centre + Point::new(f64::from(*u), f64::from(*v)) * self.step;
        let inner = self.points.iter().zip(&self.soft[0]).filter(|(point, _)| part(place(point)));
        let (count, sum) =
            inner.fold((0.0, 0.0), |(count, sum), (_, [_, dx, dy])| (count + 1.0, sum + dx * dx + dy * dy));
        f64::from(sum) < BARE * BARE * count
    }
}

/// Which samples of a face are kept.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Keep {
    /// Mostly those with a gradient, also where most is flat: what is flat agrees with itself wherever it is, and would
    /// have what disagrees taken for something that covers it.
    Telling,
    /// All there are, up to what can be compared: inside and outside of an edge.
    Flat,
}

/// Keeps the strongest, and some of all.
fn thin(chosen: &mut Vec<usize>, sampled: &[Option<[f32; 3]>], (keep, most): (Keep, usize)) {
    let strength = |i: usize| f64::from(sampled[i].map_or(0.0, |[_, dx, dy]| dx * dx + dy * dy));
    let telling = chosen.iter().filter(|i| strength(**i) > BARE * BARE).count().max(LEAST_SAMPLES);
    let most = match keep {
        Keep::Telling => most.min((telling as f64 / STRONGEST) as usize),
        Keep::Flat => most,
    };
    if chosen.len() <= most {
        return;
    }
    let strong = (STRONGEST * most as f64) as usize;
    let mut order = chosen.clone();
    order.select_nth_unstable_by(strong, |&a, &b| strength(b).total_cmp(&strength(a)));
    let (strongest, rest) = order.split_at(strong);
    let every = rest.len().div_ceil(most - strong);
    let mut rest = rest.to_vec();
    rest.sort_unstable();
    let mut kept: Vec<usize> = strongest.iter().copied().chain(rest.into_iter().step_by(every)).collect();
    kept.sort_unstable();
    *chosen = kept;
}

/// A whole grid of samples; where there is no picture its nearest neighbour in the row stands in.
fn grid_samples(sampled: &[Option<[f32; 3]>]) -> PatchSamples {
    let mut last = sampled.iter().flatten().next().copied().unwrap_or_default();
    let filled: Vec<[f32; 3]> = sampled
        .iter()
        .map(|sample| {
            last = sample.unwrap_or([last[0], 0.0, 0.0]);
            last
        })
        .collect();
    let part = |which: usize| filled.iter().map(|sample| sample[which]).collect();
    PatchSamples::new(part(0), part(1), part(2))
}

fn softened(samples: &PatchSamples, cols: usize, sigma: f64, chosen: &[usize]) -> Vec<[f32; 3]> {
    let mut soft = samples.clone();
    soft.soften(Blur { sigma, along: Point::default() }, cols);
    chosen.iter().map(|&i| [soft.value[i], soft.dx[i], soft.dy[i]]).collect()
}
