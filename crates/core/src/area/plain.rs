//! What a plain thing is: from its middle as far as nothing changes. Its outline is drawn by hand, roughly; where it
//! really ends is what tells where it is, and what lies behind must not.

use super::outline::Outline;
use super::pyramid::Pyramid;
use crate::geometry::{Homography, Point, Rect};

/// The gradient at which a thing ends, as a share of the strong ones round it.
const ENDS: f64 = 0.35;
/// And at least, in grey levels a pixel: noise alone is no end.
const LEAST_END: f64 = 4.5;
/// Which of the gradients, in order, is a strong one.
const STRONG: f64 = 0.9;
/// Pixels beyond its end that are compared: as wide as an edge is smoothed, and one of what lies behind.
const BEYOND: i32 = 3;
/// What shares so much with an ellipse is one: a square shares 0.84 with a circle.
const ROUND: f64 = 0.93;
/// It fills this share of the outline at least; else it was not found.
const LEAST_FILLED: f64 = 0.3;

/// Pixels that belong to a plain thing, with its edge.
pub(super) struct Plain {
    /// Whether it is round: then nothing is seen of how it turns or tilts.
    pub is_round: bool,
    bounds: Rect,
    cols: usize,
    is_in: Vec<bool>,
}

impl Plain {
    /// Spreads from the middle of `outline` within `wide`, up to where the brightness changes. `None` where what it finds
    /// is not what was outlined.
    pub fn find(pyramid: &Pyramid, centre: Point, outline: &Outline, wide: &Outline) -> Option<Self> {
        let bounds = wide.bounds()?;
        let (cols, rows) = ((bounds.right - bounds.left) as usize + 1, (bounds.bottom - bounds.top) as usize + 1);
        let place = |i: usize| {
            let (col, row) = ((i % cols) as f64, (i / cols) as f64);
            Point::new(bounds.left.floor() + col + 0.5, bounds.top.floor() + row + 0.5)
        };
        let grid: Vec<[f32; 2]> =
            (0..cols * rows).map(place).map(|at| [(at.x - centre.x) as f32, (at.y - centre.y) as f32]).collect();
        let map = Homography::shift(centre);
        let slopes: Vec<f64> = pyramid
            .level(0)
            .patch
            .sample_points(&map, &grid)
            .enumerate()
            .map(|(i, sample)| match sample {
                Some([_, dx, dy]) if wide.contains(place(i)) => f64::from(dx.hypot(dy)),
                _ => f64::INFINITY,
            })
            .collect();
        let mut known: Vec<f64> = slopes.iter().copied().filter(|slope| slope.is_finite()).collect();
        let strong = ((known.len().checked_sub(1)?) as f64 * STRONG) as usize;
        let (_, strong, _) = known.select_nth_unstable_by(strong, f64::total_cmp);
        let end = (ENDS * *strong).max(LEAST_END);
        let filled = spread(&slopes, cols, rows, end);
        let outlined = (0..cols * rows).filter(|i| outline.contains(place(*i)));
        let (count, found) = outlined.fold((0, 0), |(count, found), i| (count + 1, found + usize::from(filled[i])));
        let is_found = f64::from(found as u32) >= LEAST_FILLED * f64::from(count.max(1) as u32);
        is_found.then(|| Self { is_round: is_round(&filled, cols), bounds, cols, is_in: widened(&filled, cols, rows) })
    }

    /// Whether a place of the picture belongs to it.
    pub fn contains(&self, at: Point) -> bool {
        let (x, y) = (at.x - self.bounds.left.floor(), at.y - self.bounds.top.floor());
        let is_inside = x >= 0.0 && y >= 0.0 && x < self.cols as f64;
        is_inside && self.is_in.get(y as usize * self.cols + x as usize).copied().unwrap_or(false)
    }
}

/// From the middle on, over every neighbour that is flatter than `end`.
fn spread(slopes: &[f64], cols: usize, rows: usize, end: f64) -> Vec<bool> {
    let mut filled = vec![false; slopes.len()];
    let mut open = vec![(rows / 2) * cols + cols / 2];
    while let Some(at) = open.pop() {
        if filled[at] || slopes[at] >= end {
            continue;
        }
        filled[at] = true;
        let (col, row) = (at % cols, at / cols);
        open.extend((col > 0).then(|| at - 1));
        open.extend((col + 1 < cols).then(|| at + 1));
        open.extend((row > 0).then(|| at - cols));
        open.extend((row + 1 < rows).then(|| at + cols));
    }
    filled
}

/// Whether it is an ellipse, nearly: the one with the same moments holds the same pixels.
fn is_round(filled: &[bool], cols: usize) -> bool {
    let place = |i: usize| Point::new((i % cols) as f64, (i / cols) as f64);
    let of_it: Vec<Point> = (0..filled.len()).filter(|i| filled[*i]).map(place).collect();
    let count = of_it.len() as f64;
    let middle = of_it.iter().fold(Point::default(), |sum, at| sum + *at) * (1.0 / count);
    let moment = |of: &dyn Fn(Point) -> f64| of_it.iter().map(|at| of(*at - middle)).sum::<f64>() / count;
    let (xx, xy, yy) = (moment(&|at| at.x * at.x), moment(&|at| at.x * at.y), moment(&|at| at.y * at.y));
    let determinant = xx * yy - xy * xy;
    // Of a filled ellipse the variance along an axis is a quarter of the half axis squared.
    let is_inside = |at: Point| {
        let off = at - middle;
        (yy * off.x * off.x - 2.0 * xy * off.x * off.y + xx * off.y * off.y) / determinant <= 4.0
    };
    let both = of_it.iter().filter(|at| is_inside(**at)).count() as f64;
    let either = count + (0..filled.len()).filter(|i| !filled[*i] && is_inside(place(*i))).count() as f64;
    both >= ROUND * either
}

/// With what lies up to [`BEYOND`] pixels off, across or down.
fn widened(filled: &[bool], cols: usize, rows: usize) -> Vec<bool> {
    let near = |i: usize| {
        let (col, row) = ((i % cols) as i32, (i / cols) as i32);
        (-BEYOND..=BEYOND).any(|down| {
            (-BEYOND..=BEYOND).any(|across| {
                let (x, y) = (col + across, row + down);
                let is_inside = (0..cols as i32).contains(&x) && (0..rows as i32).contains(&y);
                is_inside && filled[y as usize * cols + x as usize]
            })
        })
    };
    (0..filled.len()).map(near).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shape(is_in: impl Fn(f64, f64) -> bool) -> Vec<bool> {
        (0..80 * 60).map(|i| is_in(f64::from(i % 80), f64::from(i / 80))).collect()
    }

    #[test]
    fn what_is_round_is_told_from_what_has_corners() {
        let oval = shape(|x, y| ((x - 40.0) / 30.0 + (y - 30.0) / 90.0).powi(2) + ((y - 30.0) / 20.0).powi(2) < 1.0);
        assert!(is_round(&oval, 80));
        assert!(!is_round(&shape(|x, y| (x - 40.0).abs() < 30.0 && (y - 30.0).abs() < 20.0), 80));
        assert!(!is_round(&shape(|x, y| y > 10.0 && y < 50.0 && (x - 40.0).abs() < 0.6 * (y - 10.0)), 80));
    }

    #[test]
    fn it_spreads_up_to_where_the_brightness_changes() {
        let slopes: Vec<f64> =
            shape(|x, y| (x - 40.0).hypot(y - 30.0) > 14.0).iter().map(|edge| if *edge { 30.0 } else { 1.0 }).collect();
        let filled = spread(&slopes, 80, 60, 10.0);
        assert!(filled[30 * 80 + 53] && !filled[30 * 80 + 56] && !filled[0]);
        assert!(widened(&filled, 80, 60)[30 * 80 + 56]);
    }
}
