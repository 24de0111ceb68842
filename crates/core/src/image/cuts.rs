//! Cuts inside a film, found while its frames go by.

use super::Plane;
use crate::time::Frame;

/// The picture is compared on a grid of this many cells across and down: coarse enough for motion to hardly count.
const GRID: usize = 24;
/// Grey levels of histogram: 16 levels a bin, so that noise does not move pixels between bins.
const BINS: usize = 16;
/// Least mean difference of the grids at a cut, in grey levels. Two shots of one place under one light differ by 15 and
/// more.
const LEAST_DIFFERENCE: f64 = 12.0;
/// Least share of pixels whose brightness class changes at a cut.
const LEAST_HISTOGRAM: f64 = 0.12;
/// A cut differs this many times more than the frames before it; a fast pan differs as much on every frame.
const STANDS_OUT: f64 = 3.0;

/// Steps from cell to cell of two frames of one shot correlate at least so much, whatever the light does: gain, offset
/// and gamma change how large steps are, not where they are.
const SAME_STRUCTURE: f64 = 0.5;
/// So many cells the picture may have moved meanwhile: a sixth of its width.
const MOST_MOVED: isize = 4;
/// After a flash of at most so many frames the picture is the one from before it, to this correlation.
const FLASH: u32 = 3;
const AS_BEFORE: f64 = 0.8;
/// A picture whose cells vary less than this has no structure, in grey levels: a fade through black is no cut, but what
/// comes after may be.
const LEAST_STRUCTURE: f64 = 2.0;

/// Finds cuts: hand it every frame in order. Light that changes, flickers or flashes is no cut; a cut is another
/// picture.
#[derive(Debug, Default)]
pub struct CutFinder {
    before: Option<Signature>,
    /// The newest frame that showed something.
    shown: Option<Signature>,
    usual: f64,
    frame: u32,
    cuts: Vec<Frame>,
    /// What was before a cut that may be a flash.
    pending: Option<(Frame, Signature)>,
}

#[derive(Clone, Debug)]
struct Signature {
    cells: Vec<f64>,
    histogram: [f64; BINS],
}

impl CutFinder {
    /// Begins with this frame of a film.
    pub fn starting_at(first: Frame) -> Self {
        Self { frame: first.0, ..Self::default() }
    }

    /// Looks at the next frame.
    pub fn push(&mut self, plane: &Plane) {
        let signature = Signature::of(plane);
        let frame = Frame(self.frame);
        let was_flash = self.is_as_before_flash(frame, &signature);
        if let (Some(before), Some(shown)) = (&self.before, &self.shown) {
            let (difference, histogram) = before.compare(&signature);
            let is_another = difference > LEAST_DIFFERENCE
                && histogram > LEAST_HISTOGRAM
                && difference > STANDS_OUT * self.usual
                && signature.has_structure()
                && shown.structure_like(&signature) < SAME_STRUCTURE;
            if is_another && !was_flash {
                self.cuts.push(frame);
                self.pending = Some((frame, shown.clone()));
            } else {
                // A running mean over about eight frames.
                self.usual += (difference - self.usual) / 8.0;
            }
        }
        if signature.has_structure() {
            self.shown = Some(signature.clone());
        }
        self.before = Some(signature);
        self.frame += 1;
    }

    /// Whether the newest cut was a flash: the picture from before it is there again. Then it is no cut.
    fn is_as_before_flash(&mut self, frame: Frame, signature: &Signature) -> bool {
        let Some((cut, before)) = &self.pending else { return false };
        if cut.until(frame) > i64::from(FLASH) {
            self.pending = None;
            return false;
        }
        let again = before.structure_like(signature) > AS_BEFORE;
        if again {
            self.cuts.retain(|other| other < cut);
            self.pending = None;
        }
        again
    }

    /// The first frame of every shot but the first one.
    pub fn cuts(&self) -> &[Frame] {
        &self.cuts
    }
}

impl Signature {
    fn of(plane: &Plane) -> Self {
        let size = plane.size();
        let (width, height) = (size.width as usize, size.height as usize);
        // Every fourth pixel is enough, and a quarter of the work each way.
        let step = if width >= 320 && height >= 160 { 4 } else { 1 };
        let mut sums = vec![(0u64, 0u64); GRID * GRID];
        let mut histogram = [0f64; BINS];
        let cell_cols: Vec<usize> = (0..width).step_by(step).map(|col| col * GRID / width).collect();
        let mut counts = [0u32; 256];
        for row in (0..height).step_by(step) {
            let cells = &mut sums[row * GRID / height * GRID..][..GRID];
            for (&value, &col) in plane.row(row).iter().step_by(step).zip(&cell_cols) {
                let cell = &mut cells[col];
                *cell = (cell.0 + u64::from(value), cell.1 + 1);
                counts[usize::from(value)] += 1;
            }
        }
        for (value, count) in counts.into_iter().enumerate() {
            histogram[value * BINS / 256] += f64::from(count);
        }
        let total: f64 = histogram.iter().sum();
        histogram.iter_mut().for_each(|bin| *bin /= total);
        let cells = sums.iter().filter(|cell| cell.1 > 0).map(|&(sum, count)| sum as f64 / count as f64).collect();
        Self { cells, histogram }
    }

    fn has_structure(&self) -> bool {
        let count = self.cells.len().max(1) as f64;
        let mean = self.cells.iter().sum::<f64>() / count;
        (self.cells.iter().map(|cell| (cell - mean).powi(2)).sum::<f64>() / count).sqrt() > LEAST_STRUCTURE
    }

    /// Correlation of the steps from cell to cell, wherever the picture may have moved to; 0 for pictures too small for
    /// a grid.
    fn structure_like(&self, other: &Self) -> f64 {
        if self.cells.len() != GRID * GRID || other.cells.len() != GRID * GRID {
            return 0.0;
        }
        let moves = || -MOST_MOVED..=MOST_MOVED;
        moves().flat_map(|dy| moves().map(move |dx| (dx, dy))).map(|by| self.steps_like(other, by)).fold(0.0, f64::max)
    }

    fn steps_like(&self, other: &Self, (dx, dy): (isize, isize)) -> f64 {
        let inner = |d: isize| (0.max(-d) as usize)..(GRID as isize - 1 - 0.max(d)) as usize;
        let moved = |at: usize, d: isize| (at as isize + d) as usize;
        let steps = |cells: &[f64], col: usize, row: usize| {
            let this = cells[row * GRID + col];
            [cells[row * GRID + col + 1] - this, cells[(row + 1) * GRID + col] - this]
        };
        let (mut both, mut own, mut others) = (0.0, 0.0, 0.0);
        for row in inner(dy) {
            for col in inner(dx) {
                let pairs =
                    steps(&self.cells, col, row).into_iter().zip(steps(&other.cells, moved(col, dx), moved(row, dy)));
                for (a, b) in pairs {
                    (both, own, others) = (both + a * b, own + a * a, others + b * b);
                }
            }
        }
        if own * others > 0.0 { both / (own * others).sqrt() } else { 0.0 }
    }

    /// Mean difference of the grids in grey levels, and share of pixels in another brightness class.
    fn compare(&self, other: &Self) -> (f64, f64) {
        let cells = self.cells.iter().zip(&other.cells).map(|(a, b)| (a - b).abs()).sum::<f64>();
        let classes = self.histogram.iter().zip(&other.histogram).map(|(a, b)| (a - b).abs()).sum::<f64>();
        (cells / self.cells.len().max(1) as f64, classes / 2.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;

    /// Blocks of chance light, others for each number, moved to the left.
    fn scene(number: u32, shift: u32) -> Plane {
        let chance = |col: u32, row: u32| {
            let mut state = (u64::from(col) << 40) + (u64::from(row) << 20) + u64::from(number) + 1;
            for _ in 0..3 {
                state = (state ^ (state >> 31)).wrapping_mul(0x9e37_79b9_7f4a_7c15);
            }
            (state >> 56) as u32
        };
        let base = 20 + 30 * (number % 3);
        Plane::from_fn(Size::new(320, 180), |col, row| (base + chance((col + shift) / 45, row / 41) / 2) as u8)
    }

    #[test]
    fn cuts_are_found_and_fast_pans_are_not() {
        let mut finder = CutFinder::default();
        for frame in 0..60 {
            finder.push(&scene(frame / 20, frame * 5));
        }
        assert_eq!(finder.cuts(), [Frame(20), Frame(40)]);
    }

    /// A picture with structure, its light changed.
    fn lit(number: u32, gain: f64, offset: f64, gamma: f64) -> Plane {
        let plain = scene(number, 0);
        Plane::from_fn(plain.size(), |col, row| {
            let value = f64::from(plain.row(row as usize)[col as usize]) / 255.0;
            (255.0 * (gain * value.powf(gamma)) + offset).clamp(0.0, 255.0) as u8
        })
    }

    fn cuts(planes: impl IntoIterator<Item = Plane>) -> Vec<u32> {
        let mut finder = CutFinder::default();
        planes.into_iter().for_each(|plane| finder.push(&plane));
        finder.cuts().iter().map(|cut| cut.0).collect()
    }

    #[test]
    fn light_that_flickers_jumps_or_fades_is_no_cut() {
        let flicker = (0..60).map(|n| lit(1, if n % 2 == 0 { 1.0 } else { 0.8 }, 0.0, 1.0));
        assert_eq!(cuts(flicker), [0u32; 0]);
        let jump = (0..40).map(|n| if n < 20 { lit(1, 1.0, 0.0, 1.0) } else { lit(1, 0.7, 50.0, 1.0) });
        assert_eq!(cuts(jump), [0u32; 0]);
        let bent = (0..40).map(|n| if n < 20 { lit(1, 1.0, 0.0, 1.0) } else { lit(1, 1.0, 0.0, 1.8) });
        assert_eq!(cuts(bent), [0u32; 0]);
        let fade = (0..40).map(|n: i32| lit(1, f64::from((n - 20).abs()) / 20.0, 0.0, 1.0));
        assert_eq!(cuts(fade), [0u32; 0]);
    }

    #[test]
    fn a_flash_is_no_cut_and_what_comes_after_black_may_be() {
        let flash = (0..30)
            .map(|n| if n == 14 || n == 15 { Plane::from_fn(Size::new(320, 180), |_, _| 250) } else { scene(1, 0) });
        assert_eq!(cuts(flash), [0u32; 0]);
        let inserted = (0..30).map(|n| scene(if n == 14 { 5 } else { 1 }, 0));
        assert_eq!(cuts(inserted), [0u32; 0]);
        let through_black = (0..45).map(|n: i32| match n {
            0..20 => scene(1, 0),
            20..25 => Plane::from_fn(Size::new(320, 180), |_, _| 3),
            _ => scene(4, 0),
        });
        assert_eq!(cuts(through_black), [25]);
    }

    #[test]
    fn a_still_film_and_a_tiny_one_have_no_cut() {
        let mut finder = CutFinder::default();
        (0..5).for_each(|_| finder.push(&scene(1, 0)));
        (0..3).for_each(|_| CutFinder::default().push(&Plane::from_fn(Size::new(2, 2), |_, _| 7)));
        assert!(finder.cuts().is_empty());
    }
}
