//! How the picture as a whole moves, found while its frames go by.

use super::Plane;
use super::small::SquareSums;
use crate::geometry::Point;

/// Width of the small copy that motion is measured on, in pixels: a frame costs little, and grain is gone.
const SMALL_WIDTH: usize = 192;
/// Places looked at, across and down.
const BLOCKS: (usize, usize) = (5, 4);
/// Half the side of a block, in small pixels.
const HALF: i32 = 11;
const SIDE: usize = 2 * HALF as usize + 1;
/// How far a block is looked for to each side, in small pixels: a seventh of the picture's width a frame.
const REACH: i32 = 14;
/// A block that varies less than this is sky or wall and says nothing, in grey levels (standard deviation).
const LEAST_TEXTURE: f32 = 2.5;
/// So near every place is tried, in small pixels; further away every second one, and those beside the best.
const NEAR: i32 = 3;
/// A place at the end of the reach has to look better by this many times than one where the block was.
const FAR: f32 = 1.5;
/// Steps of refinement below the pixel.
const STEPS: usize = 4;

/// Measures motion from frame to frame: hand it every frame in order.
///
/// Blocks of a small copy are looked for in the next one, first by the least sum of absolute differences, then by least
/// squares on the gradients (Lucas & Kanade 1981). The pace of the picture is the median of what its blocks moved: what
/// walks through it counts for little, and a picture that turns or grows moves too.
#[derive(Debug, Default)]
pub struct SweepFinder {
    before: Option<Small>,
    speeds: Vec<f32>,
    moves: Vec<BlockMove>,
}

/// A block of the picture and how far it moved since the frame before, in pixels.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct BlockMove {
    /// Its middle on the frame before.
    pub from: Point,
    /// How far it went.
    pub by: Point,
}

type Block = [[f32; SIDE]; SIDE];

#[derive(Debug)]
struct Small {
    width: i32,
    height: i32,
    data: Vec<f32>,
    /// Pixels of the picture in one of these.
    cell: usize,
}

impl SweepFinder {
    /// Looks at the next frame.
    pub fn push(&mut self, plane: &Plane) {
        let small = Small::of(plane);
        self.moves = self.before.as_ref().map_or_else(Vec::new, |before| before.moves_to(&small));
        let mut moved: Vec<f32> = self.moves.iter().map(|block| block.by.length() as f32).collect();
        moved.sort_by(f32::total_cmp);
        self.speeds.push(moved.get(moved.len() / 2).copied().unwrap_or(0.0));
        self.before = Some(small);
    }

    /// What the blocks of the newest frame did; those that have nothing to see are left out.
    pub(crate) fn moves(&self) -> &[BlockMove] {
        &self.moves
    }

    /// Pixels that the picture moved since the frame before, one number a frame; 0 for the first.
    pub fn speeds(&self) -> &[f32] {
        &self.speeds
    }
}

impl Small {
    /// Means over square cells.
    fn of(plane: &Plane) -> Self {
        let size = plane.size();
        let cell = (size.width as usize).div_ceil(SMALL_WIDTH).min(size.height as usize);
        let SquareSums { width, height, sums } = SquareSums::of(plane, cell);
        let share = 1.0 / (cell * cell) as f32;
        let data = sums.into_iter().map(|sum| sum as f32 * share).collect();
        Self { width: width as i32, height: height as i32, data, cell }
    }

    fn moves_to(&self, next: &Self) -> Vec<BlockMove> {
        let (across, down) = (BLOCKS.0 as i32, BLOCKS.1 as i32);
        let middles = (0..down).flat_map(|j| (0..across).map(move |i| (i, j)));
        let middles =
            middles.map(|(i, j)| ((2 * i + 1) * self.width / (2 * across), (2 * j + 1) * self.height / (2 * down)));
        let place = |x: f32, y: f32| Point::new(f64::from(x), f64::from(y)) * self.cell as f64;
        let moved = |(col, row): (i32, i32)| {
            let (dx, dy) = self.block_motion(next, col, row)?;
            Some(BlockMove { from: place(col as f32 + 0.5, row as f32 + 0.5), by: place(dx, dy) })
        };
        middles.filter_map(moved).collect()
    }

    /// How far the block round a place moves, in small pixels; `None` where there is nothing to see or it leaves the
    /// picture.
    fn block_motion(&self, next: &Self, col: i32, row: i32) -> Option<(f32, f32)> {
        let (x, y) = (col - HALF, row - HALF);
        if !self.holds(x, y) || self.texture(x, y) < LEAST_TEXTURE {
            return None;
        }
        // Of places that look alike (windows in rows) the nearest is the likeliest.
        let far = |dx: i32, dy: i32| (dx as f32).hypot(dy as f32) / REACH as f32;
        let difference = |&(dx, dy): &(i32, i32)| self.difference(next, (x, y), (dx, dy)) * (1.0 + FAR * far(dx, dy));
        let places = |step: i32, (mx, my): (i32, i32), reach: i32| {
            let steps = (-reach..=reach).step_by(step as usize);
            let all = steps.clone().flat_map(move |dy| steps.clone().map(move |dx| (mx + dx, my + dy)));
            let inside = all.filter(|(dx, dy)| next.holds(x + dx, y + dy));
            inside.map(|at| (difference(&at), at)).min_by(|a, b| a.0.total_cmp(&b.0))
        };
        let near = places(1, (0, 0), NEAR)?;
        let far = places(1, places(2, (0, 0), REACH)?.1, 1)?;
        // Which is better can only be said below the pixel: of two places that look alike the one nearer to whole
        // pixels would win.
        let refined = |at: (i32, i32)| {
            let moved = self.refine(next, (x, y), at)?;
            let distance = moved.0.hypot(moved.1) / REACH as f32;
            Some((self.misfit(next, (x, y), moved) * (1.0 + FAR * distance), moved))
        };
        let both = [near.1, far.1].into_iter().filter_map(refined);
        both.min_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, moved)| moved)
    }

    fn holds(&self, left: i32, top: i32) -> bool {
        left >= 1 && top >= 1 && left + 2 * HALF + 2 < self.width && top + 2 * HALF + 2 < self.height
    }

    fn row(&self, left: i32, row: i32) -> &[f32] {
        let start = (row * self.width + left) as usize;
        &self.data[start..start + SIDE]
    }

    fn texture(&self, left: i32, top: i32) -> f32 {
        let pixels = || (top..=top + 2 * HALF).flat_map(|row| self.row(left, row));
        let count = (SIDE * SIDE) as f32;
        let mean = pixels().sum::<f32>() / count;
        (pixels().map(|value| (value - mean).powi(2)).sum::<f32>() / count).sqrt()
    }

    /// Sum of absolute differences of the block from the one so far away.
    fn difference(&self, next: &Self, (left, top): (i32, i32), (dx, dy): (i32, i32)) -> f32 {
        // A sum for each column: the order of additions is fixed, and one sum would be one addition after the other.
        let mut columns = [0.0f32; SIDE];
        for row in top..top + SIDE as i32 {
            for ((sum, a), b) in columns.iter_mut().zip(self.row(left, row)).zip(next.row(left + dx, row + dy)) {
                *sum += (a - b).abs();
            }
        }
        columns.iter().sum()
    }

    /// Where the block lies below the pixel, by least squares on its gradients; `None` when that cannot be said or runs
    /// away.
    fn refine(&self, next: &Self, (left, top): (i32, i32), (dx, dy): (i32, i32)) -> Option<(f32, f32)> {
        let block = self.block(left as f32, top as f32)?;
        let slope = |by: (i32, i32)| {
            let [after, before] =
                [1, -1].map(|sign| self.block((left + sign * by.0) as f32, (top + sign * by.1) as f32));
            Some(zip_blocks(&after?, &before?, |after, before| (after - before) / 2.0))
        };
        let (gx, gy) = (slope((1, 0))?, slope((0, 1))?);
        let (xx, xy, yy) = (product(&gx, &gx), product(&gx, &gy), product(&gy, &gy));
        let area = xx * yy - xy * xy;
        if area < 1e-3 * (xx + yy).powi(2) {
            return None;
        }
        let start = (dx as f32, dy as f32);
        let (mut dx, mut dy) = start;
        for _ in 0..STEPS {
            let rest = zip_blocks(&block, &next.block(left as f32 + dx, top as f32 + dy)?, |a, b| a - b);
            let (xt, yt) = (product(&gx, &rest), product(&gy, &rest));
            dx += (yy * xt - xy * yt) / area;
            dy += (xx * yt - xy * xt) / area;
        }
        // Further than a pixel from the best whole place it has run away.
        ((dx - start.0).abs() < 1.0 && (dy - start.1).abs() < 1.0).then_some((dx, dy))
    }

    /// Mean difference of the block from what lies so far away, in grey levels; nothing that is seen is worse than what
    /// is outside.
    fn misfit(&self, next: &Self, (left, top): (i32, i32), (dx, dy): (f32, f32)) -> f32 {
        let both = self.block(left as f32, top as f32).zip(next.block(left as f32 + dx, top as f32 + dy));
        both.map_or(f32::INFINITY, |(this, other)| {
            sum(&zip_blocks(&this, &other, |a, b| (a - b).abs())) / (SIDE * SIDE) as f32
        })
    }

    /// The block with this corner, linear between four pixels; `None` when it leaves the picture.
    fn block(&self, left: f32, top: f32) -> Option<Block> {
        let inside = |at: f32, count: i32| at >= 0.0 && at as usize + SIDE < count as usize;
        if !inside(left, self.width) || !inside(top, self.height) {
            return None;
        }
        let (col, row) = (left as usize, top as usize);
        let (u, v) = (left - col as f32, top - row as f32);
        let line = |row: usize| {
            let start = row * self.width as usize + col;
            let pixels = &self.data[start..=start + SIDE];
            let mut line = [0.0; SIDE];
            for (value, pair) in line.iter_mut().zip(pixels.windows(2)) {
                *value = pair[0] * (1.0 - u) + pair[1] * u;
            }
            line
        };
        let mut block = [[0.0; SIDE]; SIDE];
        let mut above = line(row);
        for (i, values) in block.iter_mut().enumerate() {
            let below = line(row + i + 1);
            for ((value, above), below) in values.iter_mut().zip(above).zip(below) {
                *value = above * (1.0 - v) + below * v;
            }
            above = below;
        }
        Some(block)
    }
}

fn zip_blocks(a: &Block, b: &Block, of: impl Fn(f32, f32) -> f32) -> Block {
    let mut out = [[0.0; SIDE]; SIDE];
    for ((out, a), b) in out.iter_mut().zip(a).zip(b) {
        for ((out, a), b) in out.iter_mut().zip(a).zip(b) {
            *out = of(*a, *b);
        }
    }
    out
}

/// Column by column, as in [`Small::difference`].
fn sum(block: &Block) -> f32 {
    let mut columns = [0.0f32; SIDE];
    for line in block {
        for (sum, value) in columns.iter_mut().zip(line) {
            *sum += value;
        }
    }
    columns.iter().sum()
}

/// Sum of the products of what lies at the same place.
fn product(a: &Block, b: &Block) -> f32 {
    sum(&zip_blocks(a, b, |a, b| a * b))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;

    /// Waves of several lengths and directions, moved by `shift` pixels to the left, with something else in the middle.
    fn scene(shift: f64, walker: f64) -> Plane {
        Plane::from_fn(Size::new(960, 540), |col, row| {
            let walks = (f64::from(col) - 300.0 - walker).abs() < 60.0 && (150..420).contains(&row);
            let (x, y) = (f64::from(col) + if walks { -walker } else { shift }, f64::from(row));
            let waves =
                30.0 * (x * 0.045 + y * 0.02).sin() + 25.0 * (y * 0.06 - x * 0.013).sin() + 20.0 * (x * 0.09).cos();
            (128.0 + waves).clamp(0.0, 255.0) as u8
        })
    }

    #[test]
    fn the_pace_of_a_pan_is_found_whoever_walks_through() {
        let mut finder = SweepFinder::default();
        let steps = [0.0, 1.5, 4.0, 20.0, 20.0, 7.5];
        let mut at = 0.0;
        for (n, step) in steps.iter().enumerate() {
            at += step;
            finder.push(&scene(at, 25.0 * n as f64));
        }
        for (found, want) in finder.speeds().iter().zip(steps) {
            assert!((f64::from(*found) - want).abs() < 0.35, "{:?}", finder.speeds());
        }
    }

    #[test]
    fn a_flat_film_and_a_tiny_one_stand_still() {
        for size in [Size::new(640, 360), Size::new(2, 2), Size::new(300, 1)] {
            let mut finder = SweepFinder::default();
            (0..3).for_each(|_| finder.push(&Plane::from_fn(size, |_, _| 90)));
            assert_eq!(finder.speeds(), [0.0; 3]);
        }
    }
}
