//! Cuts inside a film, found while its frames go by.

use super::Plane;
use crate::time::Frame;

/// The picture is compared on a grid of this many cells across and down: coarse enough for motion to hardly count.
const GRID: usize = 24;
/// Grey levels of histogram: 16 levels a bin, so that noise does not move pixels between bins.
const BINS: usize = 16;
/// Least mean difference of the grids at a cut, in grey levels. Two shots of one place under one light differ by 15 and more.
const LEAST_DIFFERENCE: f64 = 12.0;
/// Least share of pixels whose brightness class changes at a cut.
const LEAST_HISTOGRAM: f64 = 0.12;
/// A cut differs this many times more than the frames before it; a fast pan differs as much on every frame.
const STANDS_OUT: f64 = 3.0;

/// Finds cuts: hand it every frame in order.
#[derive(Debug, Default)]
pub struct CutFinder {
    before: Option<Signature>,
    usual: f64,
    frame: u32,
    cuts: Vec<Frame>,
}

#[derive(Debug)]
struct Signature {
    cells: Vec<f64>,
    histogram: [f64; BINS],
}

impl CutFinder {
    /// Looks at the next frame.
    pub fn push(&mut self, plane: &Plane) {
        let signature = Signature::of(plane);
        if let Some(before) = &self.before {
            let (difference, histogram) = before.compare(&signature);
            if difference > LEAST_DIFFERENCE && histogram > LEAST_HISTOGRAM && difference > STANDS_OUT * self.usual {
                self.cuts.push(Frame(self.frame));
            } else {
                // A running mean over about eight frames.
                self.usual += (difference - self.usual) / 8.0;
            }
        }
        self.before = Some(signature);
        self.frame += 1;
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
        for row in (0..height).step_by(step) {
            let line = plane.row(row);
            for col in (0..width).step_by(step) {
                let value = line[col];
                let cell = &mut sums[row * GRID / height * GRID + col * GRID / width];
                *cell = (cell.0 + u64::from(value), cell.1 + 1);
                histogram[usize::from(value) * BINS / 256] += 1.0;
            }
        }
        let total: f64 = histogram.iter().sum();
        histogram.iter_mut().for_each(|bin| *bin /= total);
        let cells = sums.iter().filter(|cell| cell.1 > 0).map(|&(sum, count)| sum as f64 / count as f64).collect();
        Self { cells, histogram }
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

    fn scene(number: u32, shift: u32) -> Plane {
        Plane::from_fn(Size::new(320, 180), |col, row| {
            let (x, y) = (f64::from(col + shift), f64::from(row));
            let n = f64::from(number);
            (110.0 + 70.0 * n.cos() + 40.0 * (x * 0.02 * (1.0 + n)).sin() + 30.0 * (y * 0.05 + n).cos())
                .clamp(0.0, 255.0) as u8
        })
    }

    #[test]
    fn cuts_are_found_and_fast_pans_are_not() {
        let mut finder = CutFinder::default();
        for frame in 0..60 {
            finder.push(&scene(frame / 20, frame * 25));
        }
        assert_eq!(finder.cuts(), [Frame(20), Frame(40)]);
    }

    #[test]
    fn a_still_film_and_a_tiny_one_have_no_cut() {
        let mut finder = CutFinder::default();
        (0..5).for_each(|_| finder.push(&scene(1, 0)));
        (0..3).for_each(|_| CutFinder::default().push(&Plane::from_fn(Size::new(2, 2), |_, _| 7)));
        assert!(finder.cuts().is_empty());
    }
}
