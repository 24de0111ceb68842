//! Edges by direction, in cells.

use std::f32::consts::PI;

use super::neighbourhood::SAMPLES;
use jampin_spectrum::{CELLS, SIDE};

/// Directions of edges that are told apart; an edge and its negative are the same (Dalal & Triggs 2005 found nine to be
/// enough).
pub(super) const DIRECTIONS: usize = 9;
/// Edges count by their share of what is around, in a square that reaches this many cells to each side.
const ENERGY_REACH: usize = 2;
/// Strength of edge, in shares of full white a sample, below which an edge is taken for grain.
const GRAIN: f32 = 0.02;
/// One strong edge does not count more than this share: the others shape the thing, too.
const MOST_SHARE: f32 = 0.6;

/// Strengths in a cell: one a direction, and the first direction once more, so that what lies between the last and the
/// first needs no special case.
type Cell = [f32; DIRECTIONS + 1];

/// Finds edges; keeps its scratch memory.
#[derive(Clone, Debug, Default)]
pub(super) struct Edges {
    cells: Vec<Cell>,
    energy: Vec<f32>,
    wide: Vec<f32>,
}

impl Edges {
    /// Edges by direction (Dalal & Triggs 2005) in samples of 0 to 1, as shares of the edges around: direction after
    /// direction.
    pub fn find(&mut self, samples: &[f32], values: &mut [f32]) {
        self.cells.clear();
        self.cells.resize(CELLS, [0.0; DIRECTIONS + 1]);
        for row in 0..SAMPLES {
            let line = line_of_cells(samples, row);
            let (near, next) = (row / 2, if row.is_multiple_of(2) { (row / 2).saturating_sub(1) } else { row / 2 + 1 });
            for (row, share) in [(near, 0.75), (next.min(SIDE - 1), 0.25)] {
                let cells = self.cells[row * SIDE..(row + 1) * SIDE].as_flattened_mut();
                cells.iter_mut().zip(line[1..=SIDE].as_flattened()).for_each(|(sum, value)| *sum += value * share);
            }
        }
        self.by_energy(values);
    }

    /// Edges as shares of the edges around.
    fn by_energy(&mut self, values: &mut [f32]) {
        let Self { cells, energy, wide } = self;
        energy.clear();
        energy.extend(cells.iter().map(|cell| cell[..DIRECTIONS].iter().map(|value| value * value).sum::<f32>()));
        box_mean(energy, wide);
        energy.iter_mut().for_each(|mean| *mean = 1.0 / (mean.sqrt() + GRAIN));
        for (direction, to) in values.chunks_exact_mut(CELLS).enumerate() {
            for ((share, cell), over) in to.iter_mut().zip(cells.iter()).zip(energy.iter()) {
                *share = (cell[direction] * over).min(MOST_SHARE);
            }
        }
    }
}

/// What a row of samples gives to its row of cells; before and after it is a cell of none.
///
/// Samples lie a quarter of a cell beside a cell's middle: three quarters count there, one quarter in the cell that
/// they lie next to.
fn line_of_cells(samples: &[f32], row: usize) -> [Cell; SIDE + 2] {
    let (mut strengths, mut bins) = ([0.0; SAMPLES], [0.0; SAMPLES]);
    gradients(samples, row, &mut strengths, &mut bins);
    let mut line = [[0.0; DIRECTIONS + 1]; SIDE + 2];
    for cell in 0..SIDE {
        for (sample, next) in [(2 * cell, cell), (2 * cell + 1, cell + 2)] {
            let (strength, at) = (strengths[sample], bins[sample]);
            let bin = (at as i32 as usize).min(DIRECTIONS - 1);
            let second = strength * (at - bin as f32);
            for (cell, share) in [(cell + 1, 0.75), (next, 0.25)] {
                line[cell][bin] += (strength - second) * share;
                line[cell][bin + 1] += second * share;
            }
        }
    }
    for cell in &mut line {
        cell[0] += cell[DIRECTIONS];
    }
    // At the sides the next cell is the same one.
    let add = |cell: &mut Cell, other: Cell| cell.iter_mut().zip(other).for_each(|(sum, value)| *sum += value);
    let (before, after) = (line[0], line[SIDE + 1]);
    add(&mut line[1], before);
    add(&mut line[SIDE], after);
    line
}

/// Strengths of the edges on a row of samples, and their directions in bins.
fn gradients(samples: &[f32], row: usize, strengths: &mut [f32; SAMPLES], bins: &mut [f32; SAMPLES]) {
    let line = |row: usize| &samples[row * SAMPLES..(row + 1) * SAMPLES];
    let (above, this, below) = (line(row.saturating_sub(1)), line(row), line((row + 1).min(SAMPLES - 1)));
    let mut across = [0.0; SAMPLES];
    for (to, pair) in across[1..].iter_mut().zip(this.windows(3)) {
        *to = pair[2] - pair[0];
    }
    across[0] = this[1] - this[0];
    across[SAMPLES - 1] = this[SAMPLES - 1] - this[SAMPLES - 2];
    let outs = strengths.iter_mut().zip(bins);
    for ((dx, (above, below)), (strength, bin)) in across.iter().zip(above.iter().zip(below)).zip(outs) {
        let dy = below - above;
        *strength = (dx * dx + dy * dy).sqrt() * 0.5;
        *bin = direction(*dx, dy) * DIRECTIONS as f32;
    }
}

/// Direction of a gradient as a share of half a turn, 0 to below 1: an arc tangent right to a thousandth of a turn,
/// without its cost. No branch in it, so that many are worked out at once.
fn direction(dx: f32, dy: f32) -> f32 {
    let (wide, high) = (dx.abs(), dy.abs());
    let (long, short) = (wide.max(high), wide.min(high));
    let ratio = short / long.max(1e-9);
    let angle = ratio * (PI / 4.0 + 0.273 * (1.0 - ratio));
    let angle = if wide > high { angle } else { PI / 2.0 - angle };
    // Upwards to the left is the same as downwards to the right.
    let angle = if dx * dy < 0.0 { PI - angle } else { angle };
    let share = angle * (1.0 / PI);
    if share < 0.999_999 { share } else { 0.0 }
}

/// Mean over squares that reach [`ENERGY_REACH`] cells, smaller at the edges.
fn box_mean(values: &mut [f32], rows: &mut Vec<f32>) {
    rows.clear();
    rows.resize(CELLS, 0.0);
    let near = |at: usize| at.saturating_sub(ENERGY_REACH)..(at + ENERGY_REACH + 1).min(SIDE);
    for row in 0..SIDE {
        let line = &values[row * SIDE..(row + 1) * SIDE];
        for col in 0..SIDE {
            rows[row * SIDE + col] = line[near(col)].iter().sum::<f32>() / near(col).len() as f32;
        }
    }
    for row in 0..SIDE {
        let to = &mut values[row * SIDE..(row + 1) * SIDE];
        to.fill(0.0);
        for other in near(row) {
            to.iter_mut().zip(&rows[other * SIDE..]).for_each(|(sum, value)| *sum += value);
        }
        let share = 1.0 / near(row).len() as f32;
        to.iter_mut().for_each(|sum| *sum *= share);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn directions_are_right_to_a_thousandth_of_a_turn() {
        for i in 0..360 {
            let angle = f64::from(i).to_radians();
            let got = direction(angle.cos() as f32, angle.sin() as f32);
            let want = (angle / std::f64::consts::PI).rem_euclid(1.0) as f32;
            let off = (got - want).abs();
            assert!(off.min(1.0 - off) < 0.003, "{i}: {got} {want}");
        }
    }

    #[test]
    fn every_sample_counts_once_wherever_it_is() {
        // Slopes of one strength: at 0, 80 and 160 degrees, and at 175, between the last bin and the first.
        for (across, bin) in [((1.0f32, 0.0f32), 0), ((0.174, 0.985), 4), ((-0.94, 0.342), 8), ((-0.996, 0.087), 0)] {
            let value = |i: usize| ((i % SAMPLES) as f32 * across.0 + (i / SAMPLES) as f32 * across.1) * 1e-3;
            let samples: Vec<f32> = (0..SAMPLES * SAMPLES).map(value).collect();
            let sum: f32 = (10..20)
                .map(|row| line_of_cells(&samples, row))
                .map(|line| line[1..=SIDE].iter().map(|cell| cell[..DIRECTIONS].iter().sum::<f32>()).sum::<f32>())
                .sum();
            // Half of the difference of two samples apart is the slope; the outermost see half of it across.
            let inner = 10.0 * (SAMPLES as f32 - 2.0) * 1e-3;
            assert!((inner * 0.99..inner * 1.03).contains(&sum), "{across:?}: {sum}, not {inner}");
            let cell = line_of_cells(&samples, 15)[SIDE / 2];
            let most = (0..DIRECTIONS).max_by(|a, b| cell[*a].total_cmp(&cell[*b]));
            assert_eq!(most, Some(bin), "{cell:?}");
        }
    }
}
