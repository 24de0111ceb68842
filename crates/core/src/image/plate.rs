//! The scene with nobody in it.

use super::Window;
use super::small::SmallCopy;
use crate::geometry::Point;

/// A pixel belongs to the empty scene where this share of the frames agree on it ...
const AGREE: f64 = 0.65;
/// ... within so many grey levels.
const AGREE_WITHIN: u8 = 16;

/// The scene with nobody in it: the median of many frames of a camera that stands still.
#[derive(Clone, Debug)]
pub struct Plate {
    pub(super) cell: u32,
    pub(super) width: usize,
    pub(super) height: usize,
    data: Vec<u8>,
    /// Where the frames agree.
    sure: Vec<bool>,
}

/// A difference of so many grey levels is half of one.
const HALF_DIFFERENT: f32 = 14.0;

impl Plate {
    /// Of small copies that are `cell` pixels a pixel.
    pub(super) fn of(frames: &[&SmallCopy], cell: u32) -> Self {
        let (width, height) = (frames[0].width as usize, frames[0].height as usize);
        let (mut data, mut sure) = (Vec::with_capacity(width * height), Vec::with_capacity(width * height));
        let mut values: Vec<u8> = vec![0; frames.len()];
        for i in 0..width * height {
            values.iter_mut().zip(frames).for_each(|(value, frame)| *value = frame.data[i]);
            let middle = values.len() / 2;
            let median = *values.select_nth_unstable(middle).1;
            let agree = values.iter().filter(|value| value.abs_diff(median) <= AGREE_WITHIN).count();
            data.push(median);
            sure.push(agree as f64 >= AGREE * frames.len() as f64);
        }
        Self { cell, width, height, data, sure }
    }

    /// How much of a box of the picture is not as it is when empty, 0 to 1, its middle counting most; `None` where less
    /// than half of it is known. Light that has changed on all of the window is taken out.
    pub(crate) fn difference(&self, window: &Window, middle: Point, side: f64) -> Option<f64> {
        let offset = self.light(window)?;
        self.weighed(middle, side, |col, row| self.off(window, col, row).map(|off| off - offset))
    }

    /// How much of a box of the empty scene is not the same all over, measured likewise.
    pub(crate) fn structure(&self, middle: Point, side: f64) -> Option<f64> {
        let value = |col: usize, row: usize| {
            let at = row * self.width + col;
            self.sure[at].then(|| f32::from(self.data[at]))
        };
        let known: Vec<f32> = self.cells(middle, side)?.filter_map(|(col, row)| value(col, row)).collect();
        let mean = known.iter().sum::<f32>() / known.len().max(1) as f32;
        self.weighed(middle, side, |col, row| Some(value(col, row)? - mean))
    }

    /// Share of a box that is off by much, its middle counting most, by how many grey levels each small pixel is.
    fn weighed(&self, middle: Point, side: f64, off: impl Fn(usize, usize) -> Option<f32>) -> Option<f64> {
        let (mut known, mut all, mut different) = (0.0, 0.0, 0.0);
        for (col, row) in self.cells(middle, side)? {
            let cell = f64::from(self.cell);
            let at = Point::new((col as f64 + 0.5) * cell, (row as f64 + 0.5) * cell);
            let away = at.distance(middle) / side;
            let weight = (-away * away * 8.0).exp();
            all += weight;
            let Some(off) = off(col, row) else { continue };
            known += weight;
            different += weight * f64::from(off * off / (off * off + HALF_DIFFERENT * HALF_DIFFERENT));
        }
        (known * 2.0 > all).then(|| different / known)
    }

    /// How much lighter the window is than the empty scene, in grey levels (median); `None` where nothing of it is
    /// known.
    pub(super) fn light(&self, window: &Window) -> Option<f32> {
        let size = window.plane.size();
        let middle = Point::new(
            f64::from(window.left) + f64::from(size.width) / 2.0,
            f64::from(window.top) + f64::from(size.height) / 2.0,
        );
        let cells = self.cells(middle, f64::from(size.width.max(size.height)))?;
        let mut all: Vec<f32> = cells.filter_map(|(col, row)| self.off(window, col, row)).collect();
        let middle = all.len() / 2;
        (!all.is_empty()).then(|| *all.select_nth_unstable_by(middle, f32::total_cmp).1)
    }

    /// How much lighter the window is than the empty scene in a small pixel; `None` where that is not known.
    pub(super) fn off(&self, window: &Window, col: usize, row: usize) -> Option<f32> {
        let value = self.small(window, col, row).filter(|_| self.sure[row * self.width + col])?;
        Some(value - f32::from(self.data[row * self.width + col]))
    }

    /// The small pixels of a box; `None` when it is outside.
    fn cells(&self, middle: Point, side: f64) -> Option<impl Iterator<Item = (usize, usize)> + use<>> {
        let cell = f64::from(self.cell);
        let (first_col, last_col) = cells(middle.x, side, cell, self.width)?;
        let (first_row, last_row) = cells(middle.y, side, cell, self.height)?;
        Some((first_row..=last_row).flat_map(move |row| (first_col..=last_col).map(move |col| (col, row))))
    }

    /// Mean of the picture over a small pixel; `None` where the window does not hold all of it.
    fn small(&self, window: &Window, col: usize, row: usize) -> Option<f32> {
        let cell = self.cell as i32;
        let (left, top) = (col as i32 * cell - window.left, row as i32 * cell - window.top);
        let size = window.plane.size();
        if left < 0 || top < 0 || left + cell > size.width as i32 || top + cell > size.height as i32 {
            return None;
        }
        let line = |row: i32| &window.plane.row(row as usize)[left as usize..(left + cell) as usize];
        let sum: u32 = (top..top + cell).flat_map(line).map(|&pixel| u32::from(pixel)).sum();
        Some(sum as f32 / (cell * cell) as f32)
    }
}

fn cells(middle: f64, side: f64, cell: f64, count: usize) -> Option<(usize, usize)> {
    let first = ((middle - side / 2.0) / cell).round().max(0.0) as usize;
    let last = ((middle + side / 2.0) / cell).round() - 1.0;
    (last >= first as f64 && first < count).then(|| (first, (last as usize).min(count - 1)))
}
