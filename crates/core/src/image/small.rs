//! Small copies of frames.

use super::Plane;

/// Side of the blocks whose difference is measured, in small pixels.
const BLOCK: usize = 16;

/// Sums over squares of pixels, row by row; what does not fill a square at the right and below is left out.
pub(super) struct SquareSums {
    pub width: usize,
    pub height: usize,
    pub sums: Vec<u32>,
}

impl SquareSums {
    /// Over squares of `cell` pixels each way, at most 256 and not more than there are rows. Rows are added up first:
    /// that is what a processor does many of at once.
    pub fn of(plane: &Plane, cell: usize) -> Self {
        debug_assert!((1..=256).contains(&cell), "sums of columns are 16 bits wide");
        let size = plane.size();
        let (width, height) = ((size.width as usize / cell).max(1), (size.height as usize / cell).max(1));
        let mut sums = Vec::with_capacity(width * height);
        let mut columns = vec![0u16; width * cell];
        for top in (0..height * cell).step_by(cell) {
            columns.fill(0);
            for row in top..top + cell {
                for (sum, &pixel) in columns.iter_mut().zip(plane.row(row)) {
                    *sum += u16::from(pixel);
                }
            }
            sums.extend(columns.chunks_exact(cell).map(|square| square.iter().map(|&sum| u32::from(sum)).sum::<u32>()));
        }
        Self { width, height, sums }
    }
}

/// A picture made smaller by whole pixels.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct SmallCopy {
    pub width: u32,
    pub height: u32,
    pub data: Vec<u8>,
}

impl SmallCopy {
    /// Means over squares.
    pub fn of(plane: &Plane, cell: u32) -> Self {
        let SquareSums { width, height, sums } = SquareSums::of(plane, cell as usize);
        let area = cell * cell;
        let data = sums.into_iter().map(|sum| ((sum + area / 2) / area) as u8).collect();
        Self { width: width as u32, height: height as u32, data }
    }

    /// The largest mean difference of a block, in grey levels.
    pub fn most_different(&self, other: &Self) -> f32 {
        let (width, height) = (self.width as usize, self.height as usize);
        let mut most: f32 = 0.0;
        for top in (0..height).step_by(BLOCK) {
            let bottom = (top + BLOCK).min(height);
            let mut sums = vec![0u32; width.div_ceil(BLOCK)];
            for row in top..bottom {
                let part = row * width..(row + 1) * width;
                for (col, (a, b)) in self.data[part.clone()].iter().zip(&other.data[part]).enumerate() {
                    sums[col / BLOCK] += u32::from(a.abs_diff(*b));
                }
            }
            for (block, sum) in sums.iter().enumerate() {
                let cols = (width - block * BLOCK).min(BLOCK);
                most = most.max(*sum as f32 / (cols * (bottom - top)) as f32);
            }
        }
        most
    }
}
