//! Small copies of frames.

use super::Plane;

/// Side of the blocks whose difference is measured, in small pixels.
const BLOCK: usize = 16;

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
        let size = plane.size();
        let (width, height) = ((size.width / cell).max(1) as usize, (size.height / cell).max(1) as usize);
        let cell = cell as usize;
        let mut data = Vec::with_capacity(width * height);
        let mut sums = vec![0u32; width];
        for row in 0..height {
            sums.fill(0);
            for line in row * cell..(row + 1) * cell {
                for (sum, pixels) in sums.iter_mut().zip(plane.row(line).chunks_exact(cell)) {
                    *sum += pixels.iter().map(|&pixel| u32::from(pixel)).sum::<u32>();
                }
            }
            let area = (cell * cell) as u32;
            data.extend(sums.iter().map(|sum| ((sum + area / 2) / area) as u8));
        }
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
