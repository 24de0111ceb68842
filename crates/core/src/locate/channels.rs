//! What a neighbourhood looks like to the filter: directions of edges, brightness, colour, in square cells.

use std::f32::consts::PI;
use std::ops::Range;
use std::sync::OnceLock;

use super::spectrum::{CELLS, SIDE};
use crate::geometry::{PixelRect, Point};
use crate::image::{Chroma, Window};

/// Samples across a neighbourhood: two a cell.
const SAMPLES: usize = 2 * SIDE;
/// Directions of edges that are told apart; an edge and its negative are the same (Dalal & Triggs 2005 found nine to be enough).
const DIRECTIONS: usize = 9;
/// Classes of colour.
const COLOURS: usize = 11;
/// Directions and brightness: all that a grey picture has.
pub(super) const GREY: usize = DIRECTIONS + 1;
/// And those of a picture in colour.
pub(super) const COLOURED: usize = GREY + COLOURS;

/// Edges count by their share of what is around, in a square that reaches this many cells to each side.
const ENERGY_REACH: usize = 2;
/// Strength of edge, in shares of full white a sample, below which an edge is taken for grain.
const GRAIN: f32 = 0.02;
/// One strong edge does not count more than this share: the others shape the thing, too.
const MOST_SHARE: f32 = 0.6;

/// The neighbourhood of a place, and how it is sampled.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Neighbourhood {
    /// Its middle, in the picture.
    pub middle: Point,
    /// Its side, in pixels of the picture.
    pub side: f64,
}

impl Neighbourhood {
    /// Pixels of the picture in a cell.
    pub fn cell(&self) -> f64 {
        self.side / SIDE as f64
    }

    /// The pixels that it is made of.
    pub fn rect(&self) -> PixelRect {
        let half = self.side / 2.0 + self.margin();
        PixelRect::around(self.middle, half, half)
    }

    /// Columns and rows of cells whose middles are inside.
    fn cells_inside(&self, inside: PixelRect) -> (Range<usize>, Range<usize>) {
        let cell = self.cell();
        let range = |middle: f64, first: i32, last: i32| {
            let at =
                |edge: i32| ((f64::from(edge) - middle) / cell + SIDE as f64 / 2.0).round().clamp(0.0, SIDE as f64);
            at(first) as usize..at(last) as usize
        };
        (range(self.middle.x, inside.left, inside.right), range(self.middle.y, inside.top, inside.bottom))
    }

    /// What the outermost samples need beyond the edge.
    fn margin(&self) -> f64 {
        1.0 + self.side / SAMPLES as f64
    }
}

/// Makes channels; keeps its scratch memory.
#[derive(Clone, Debug, Default)]
pub(super) struct Channels {
    /// Channel after channel, [`CELLS`] numbers each.
    pub values: Vec<f32>,
    samples: Vec<f32>,
    chroma: [Vec<f32>; 2],
    edges: Vec<f32>,
    energy: Vec<f32>,
    wide: Vec<f32>,
}

impl Channels {
    /// Channels of a neighbourhood; a picture in colour has more of them.
    ///
    /// What is not inside the picture says nothing.
    pub fn make(&mut self, luma: &Window, chroma: Option<&Chroma>, of: &Neighbourhood, inside: PixelRect) {
        let count = if chroma.is_some() { COLOURED } else { GREY };
        self.values.resize(count * CELLS, 0.0);
        resample(luma, of, SAMPLES, &mut self.wide, &mut self.samples);
        self.samples.iter_mut().for_each(|value| *value *= 1.0 / 255.0);
        self.directions();
        self.brightness();
        if let Some(Chroma { step, blue, red }) = chroma {
            let over = 1.0 / f64::from(*step);
            let of = Neighbourhood { middle: of.middle * over, side: of.side * over };
            for (window, chroma) in [blue, red].into_iter().zip(&mut self.chroma) {
                resample(window, &of, SIDE, &mut self.wide, chroma);
            }
            self.colours();
        }
        let window = hann();
        let (cols, rows) = of.cells_inside(inside);
        for channel in self.values.chunks_exact_mut(CELLS) {
            channel.iter_mut().zip(window).for_each(|(value, share)| *value *= share);
            for (row, line) in channel.chunks_exact_mut(SIDE).enumerate() {
                let seen = if rows.contains(&row) { cols.clone() } else { 0..0 };
                line[..seen.start].fill(0.0);
                line[seen.end..].fill(0.0);
            }
        }
    }

    /// Edges by direction, in cells that share what lies between them (Dalal & Triggs 2005).
    fn directions(&mut self) {
        let Self { samples, edges, wide: line_edges, .. } = self;
        edges.clear();
        edges.resize(DIRECTIONS * CELLS, 0.0);
        let (mut strengths, mut bins) = ([0.0; SAMPLES], [0.0; SAMPLES]);
        for row in 0..SAMPLES {
            gradients(samples, row, &mut strengths, &mut bins);
            // Samples lie a quarter of a cell beside a cell's middle: three quarters count there, one quarter in the next.
            line_edges.clear();
            line_edges.resize(DIRECTIONS * SIDE, 0.0);
            for (col, (strength, at)) in strengths.iter().zip(&bins).enumerate() {
                let bin = *at as usize;
                let second = strength * (at - bin as f32);
                let (left, right) = beside(col);
                for (bin, share) in [(bin, strength - second), ((bin + 1) % DIRECTIONS, second)] {
                    line_edges[bin * SIDE + left] += 0.75 * share;
                    line_edges[bin * SIDE + right] += 0.25 * share;
                }
            }
            let (near, far) = beside(row);
            for (all, line) in edges.chunks_exact_mut(CELLS).zip(line_edges.chunks_exact(SIDE)) {
                for (cell_row, down) in [(near, 0.75), (far, 0.25)] {
                    let cells = &mut all[cell_row * SIDE..(cell_row + 1) * SIDE];
                    cells.iter_mut().zip(line).for_each(|(sum, value)| *sum += value * down);
                }
            }
        }
        self.by_energy();
    }

    /// Edges as shares of the edges around.
    fn by_energy(&mut self) {
        let Self { values, edges, energy, wide, .. } = self;
        energy.clear();
        energy.resize(CELLS, 0.0);
        for channel in edges.chunks_exact(CELLS) {
            energy.iter_mut().zip(channel).for_each(|(sum, value)| *sum += value * value);
        }
        box_mean(energy, wide);
        energy.iter_mut().for_each(|mean| *mean = 1.0 / (mean.sqrt() + GRAIN));
        for (to, from) in values.chunks_exact_mut(CELLS).zip(edges.chunks_exact(CELLS)) {
            for ((share, edge), over) in to.iter_mut().zip(from).zip(energy.iter()) {
                *share = (edge * over).min(MOST_SHARE);
            }
        }
    }

    fn brightness(&mut self) {
        let light = &mut self.values[DIRECTIONS * CELLS..GREY * CELLS];
        for row in 0..SIDE {
            let line = |row: usize| &self.samples[row * SAMPLES..(row + 1) * SAMPLES];
            let pairs = line(2 * row).chunks_exact(2).zip(line(2 * row + 1).chunks_exact(2));
            for (value, (above, below)) in light[row * SIDE..].iter_mut().zip(pairs) {
                *value = (above[0] + above[1] + below[0] + below[1]) * 0.25 - 0.5;
            }
        }
    }

    fn colours(&mut self) {
        let (grey, colours) = self.values.split_at_mut(GREY * CELLS);
        let light = &grey[DIRECTIONS * CELLS..];
        let table = ColourTable::get();
        for cell in 0..CELLS {
            let shares = table.of((light[cell] + 0.5) * 255.0, self.chroma[0][cell], self.chroma[1][cell]);
            for (class, share) in shares.iter().enumerate() {
                colours[class * CELLS + cell] = *share;
            }
        }
        for channel in colours.chunks_exact_mut(CELLS) {
            let mean = channel.iter().sum::<f32>() / CELLS as f32;
            channel.iter_mut().for_each(|value| *value -= mean);
        }
    }
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

/// The cell that a sample lies in, and the one it lies next to.
fn beside(sample: usize) -> (usize, usize) {
    let cell = sample / 2;
    let next = if sample.is_multiple_of(2) { cell.saturating_sub(1) } else { (cell + 1).min(SIDE - 1) };
    (cell, next)
}

/// Direction of a gradient as a share of half a turn, 0 to below 1: an arc tangent right to a thousandth of a turn, without its cost. No branch
/// in it, so that many are worked out at once.
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

/// Towards the edge of the neighbourhood everything fades, so that its two sides do not meet in an edge that is not there.
fn hann() -> &'static [f32] {
    static WINDOW: OnceLock<Vec<f32>> = OnceLock::new();
    WINDOW.get_or_init(|| {
        let rise = |i: usize| 0.5 - 0.5 * (2.0 * PI * (i as f32 + 0.5) / SIDE as f32).cos();
        (0..CELLS).map(|i| rise(i % SIDE) * rise(i / SIDE)).collect()
    })
}

/// `count * count` samples of a neighbourhood.
pub(super) fn samples(window: &Window, of: &Neighbourhood, count: usize) -> Vec<f32> {
    let (mut wide, mut out) = (Vec::new(), Vec::new());
    resample(window, of, count, &mut wide, &mut out);
    out
}

/// `count * count` samples of a neighbourhood, edges repeated: a triangle as wide as the step between samples, or between pixels where
/// these are further apart, so that nothing is skipped and nothing added.
fn resample(window: &Window, of: &Neighbourhood, count: usize, wide: &mut Vec<f32>, out: &mut Vec<f32>) {
    let rect = of.rect();
    let across = Taps::new(of.middle.x, of.side, count, rect.left, rect.cols());
    let down = Taps::new(of.middle.y, of.side, count, rect.top, rect.rows());
    wide.clear();
    wide.resize(rect.rows() * count, 0.0);
    window.rows_of(rect, |row, pixels| {
        let line = &mut wide[row * count..(row + 1) * count];
        for (step, shares) in across.shares.chunks_exact(count).enumerate() {
            for ((value, first), share) in line.iter_mut().zip(&across.first).zip(shares) {
                *value += f32::from(pixels[first + step]) * share;
            }
        }
    });
    out.clear();
    out.resize(count * count, 0.0);
    for (i, to) in out.chunks_exact_mut(count).enumerate() {
        for (step, shares) in down.shares.chunks_exact(count).enumerate() {
            let at = (down.first[i] + step) * count;
            to.iter_mut().zip(&wide[at..at + count]).for_each(|(sum, value)| *sum += value * shares[i]);
        }
    }
}

/// Pixels that samples are made of, as many for each of them, and how much each counts.
struct Taps {
    /// The first pixel of each sample.
    first: Vec<usize>,
    /// Of the first pixel of each sample, then of the second of each, and so on.
    shares: Vec<f32>,
}

impl Taps {
    fn new(middle: f64, side: f64, count: usize, start: i32, pixels: usize) -> Self {
        let step = side / count as f64;
        let reach = step.max(1.0);
        let most = ((2.0 * reach).ceil() as usize + 1).min(pixels);
        let mut taps = Self { first: Vec::with_capacity(count), shares: vec![0.0; most * count] };
        for i in 0..count {
            // Where the sample is, with pixel middles at whole numbers.
            let at = middle + (i as f64 + 0.5 - count as f64 / 2.0) * step - f64::from(start) - 0.5;
            let first = (((at - reach).floor() + 1.0).max(0.0) as usize).min(pixels - most);
            let share = |tap: usize| (1.0 - ((first + tap) as f64 - at).abs() / reach).max(0.0) as f32;
            let over = 1.0 / (0..most).map(share).sum::<f32>().max(1e-6);
            (0..most).for_each(|tap| taps.shares[tap * count + i] = share(tap) * over);
            taps.first.push(first);
        }
        taps
    }
}

/// Brightness and colour difference to shares of colour classes: van de Weijer et al. 2009 learned which colours people call by the eleven
/// basic names; here each name is a place in the Lab space (CIE 1976), and a colour belongs to those that are near.
struct ColourTable {
    shares: Vec<[f32; COLOURS]>,
}

/// Steps of the table in each of its three directions.
const COLOUR_STEPS: usize = 32;
/// Distance in Lab over which a colour stops belonging to a class.
const COLOUR_REACH: f32 = 25.0;
/// Lightness counts this much of what colour counts: light and shade change it.
const LIGHTNESS: f32 = 0.7;
/// Black, blue, brown, grey, green, orange, pink, purple, red, white, yellow in sRGB, common practice for the eleven basic names.
const NAMED: [[u8; 3]; COLOURS] = [
    [0, 0, 0],
    [0, 0, 255],
    [128, 102, 64],
    [128, 128, 128],
    [0, 200, 0],
    [255, 128, 0],
    [255, 128, 192],
    [160, 32, 208],
    [230, 0, 0],
    [255, 255, 255],
    [255, 240, 0],
];

impl ColourTable {
    fn get() -> &'static Self {
        static TABLE: OnceLock<ColourTable> = OnceLock::new();
        TABLE.get_or_init(|| {
            let named = NAMED.map(|rgb| lab(rgb.map(|part| f32::from(part) / 255.0)));
            let step = 256.0 / COLOUR_STEPS as f32;
            let value = |i: usize| (i as f32 + 0.5) * step;
            let all = (0..COLOUR_STEPS.pow(3)).map(|i| {
                let [light, blue, red] = [i / COLOUR_STEPS.pow(2), i / COLOUR_STEPS % COLOUR_STEPS, i % COLOUR_STEPS];
                classes(lab(rgb(value(light), value(blue), value(red))), &named)
            });
            Self { shares: all.collect() }
        })
    }

    fn of(&self, light: f32, blue: f32, red: f32) -> &[f32; COLOURS] {
        let step = |value: f32| ((value * (COLOUR_STEPS as f32 / 256.0)) as usize).min(COLOUR_STEPS - 1);
        &self.shares[(step(light) * COLOUR_STEPS + step(blue)) * COLOUR_STEPS + step(red)]
    }
}

fn classes(colour: [f32; 3], named: &[[f32; 3]; COLOURS]) -> [f32; COLOURS] {
    let shares = named.map(|other| {
        let [l, a, b] = [0, 1, 2].map(|i| colour[i] - other[i]);
        (-((l * LIGHTNESS).powi(2) + a * a + b * b) / (2.0 * COLOUR_REACH.powi(2))).exp()
    });
    let sum = shares.iter().sum::<f32>() + 1e-6;
    shares.map(|share| share / sum)
}

/// R'G'B' of 0 to 1 from luma and colour differences of limited range (ITU-R BT.709).
fn rgb(luma: f32, blue: f32, red: f32) -> [f32; 3] {
    let (y, b, r) = ((luma - 16.0) / 219.0, (blue - 128.0) / 224.0, (red - 128.0) / 224.0);
    [y + 1.5748 * r, y - 0.1873 * b - 0.4681 * r, y + 1.8556 * b].map(|part| part.clamp(0.0, 1.0))
}

/// CIE L*a*b* (1976) of sRGB, white D65.
fn lab(rgb: [f32; 3]) -> [f32; 3] {
    let [r, g, b] = rgb.map(|part| if part <= 0.04045 { part / 12.92 } else { ((part + 0.055) / 1.055).powf(2.4) });
    let curve = |t: f32| if t > 0.008_856 { t.cbrt() } else { 7.787 * t + 16.0 / 116.0 };
    let x = curve((0.4124 * r + 0.3576 * g + 0.1805 * b) / 0.9505);
    let y = curve(0.2126 * r + 0.7152 * g + 0.0722 * b);
    let z = curve((0.0193 * r + 0.1192 * g + 0.9505 * b) / 1.089);
    [116.0 * y - 16.0, 500.0 * (x - y), 200.0 * (y - z)]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::image::Plane;

    fn window(value: impl FnMut(u32, u32) -> u8) -> Window {
        let size = Size::new(200, 160);
        Plane::from_fn(size, value).window(PixelRect { left: 0, top: 0, right: 200, bottom: 160 })
    }

    const MIDDLE: Neighbourhood = Neighbourhood { middle: Point::new(100.0, 80.0), side: 50.0 };

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
    fn an_edge_is_seen_in_its_own_direction_whatever_the_light() {
        let step = |low: u8, high: u8| {
            let mut channels = Channels::default();
            channels.make(
                &window(|col, _| if col < 100 { low } else { high }),
                None,
                &MIDDLE,
                PixelRect { left: 0, top: 0, right: 200, bottom: 160 },
            );
            channels.values
        };
        let (bright, dim) = (step(60, 200), step(60, 130));
        let sum = |values: &[f32], channel: usize| values[channel * CELLS..(channel + 1) * CELLS].iter().sum::<f32>();
        // A gradient that points across is at the first direction; the fifth stands across it.
        assert!(sum(&bright, 0) > 20.0 * sum(&bright, 4), "{} {}", sum(&bright, 0), sum(&bright, 4));
        let ratio = sum(&dim, 0) / sum(&bright, 0);
        assert!((0.85..1.01).contains(&ratio), "{ratio}");
    }

    #[test]
    fn resampling_keeps_a_slope_in_place_at_any_scale() {
        let window = window(|col, row| (col / 2 + row) as u8);
        for (side, count) in [(25.0, 128), (50.0, 64), (120.0, 64), (100.0, 32)] {
            let of = Neighbourhood { middle: Point::new(90.5, 80.0), side };
            let (mut wide, mut out) = (Vec::new(), Vec::new());
            resample(&window, &of, count, &mut wide, &mut out);
            let mean = out.iter().sum::<f32>() / out.len() as f32;
            // Half of the columns are rounded down.
            let want = (90.0 / 2.0) - 0.25 + 79.5;
            assert!((mean - want).abs() < 0.2, "side {side}, {count} samples: {mean}, not {want}");
        }
    }

    #[test]
    fn lab_is_as_published() {
        // Values of the sRGB primaries and of mid grey, D65: B. Lindbloom's calculator, from memory.
        for (rgb, want) in [
            ([1.0, 1.0, 1.0], [100.0, 0.0, 0.0]),
            ([1.0, 0.0, 0.0], [53.2, 80.1, 67.2]),
            ([0.0, 0.0, 1.0], [32.3, 79.2, -107.9]),
            ([0.5, 0.5, 0.5], [53.4, 0.0, 0.0]),
        ] {
            let got = lab(rgb);
            assert!(got.iter().zip(want).all(|(a, b)| (a - b).abs() < 0.3), "{rgb:?}: {got:?}, not {want:?}");
        }
    }

    #[test]
    fn colours_belong_to_the_class_of_their_name() {
        let table = ColourTable::get();
        let class = |y: f32, b: f32, r: f32| {
            let shares = table.of(y, b, r);
            (0..COLOURS).max_by(|a, b| shares[*a].total_cmp(&shares[*b])).unwrap()
        };
        // Luma and differences of full red, blue and white in BT.709, limited range.
        assert_eq!([class(63.0, 102.0, 240.0), class(32.0, 240.0, 118.0), class(235.0, 128.0, 128.0)], [8, 1, 9]);
    }
}
