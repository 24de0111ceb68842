//! What a neighbourhood looks like to the filter: directions of edges, brightness, colour, in square cells.

use std::f32::consts::PI;
use std::sync::OnceLock;

use super::colours::{COLOURS, ColourTable};
use super::edges::{DIRECTIONS, Edges};
use super::neighbourhood::{Neighbourhood, SAMPLES, resample};
use crate::geometry::PixelRect;
use crate::image::{Chroma, Window};
use jampin_spectrum::{CELLS, SIDE};

/// Directions and brightness: all that a grey picture has.
pub(super) const GREY: usize = DIRECTIONS + 1;
/// And those of a picture in colour.
pub(super) const COLOURED: usize = GREY + COLOURS;

/// Makes channels; keeps its scratch memory.
#[derive(Clone, Debug, Default)]
pub(super) struct Channels {
    /// Channel after channel, [`CELLS`] numbers each.
    pub values: Vec<f32>,
    samples: Vec<f32>,
    chroma: [Vec<f32>; 2],
    edges: Edges,
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
        self.edges.find(&self.samples, &mut self.values[..DIRECTIONS * CELLS]);
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

/// Towards the edge of the neighbourhood everything fades, so that its two sides do not meet in an edge that is not
/// there.
fn hann() -> &'static [f32] {
    static WINDOW: OnceLock<Vec<f32>> = OnceLock::new();
    WINDOW.get_or_init(|| {
        let rise = |i: usize| 0.5 - 0.5 * (2.0 * PI * (i as f32 + 0.5) / SIDE as f32).cos();
        (0..CELLS).map(|i| rise(i % SIDE) * rise(i / SIDE)).collect()
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::{Point, Size};
    use crate::image::Plane;

    fn window(value: impl FnMut(u32, u32) -> u8) -> Window {
        let size = Size::new(200, 160);
        Plane::from_fn(size, value).window(PixelRect { left: 0, top: 0, right: 200, bottom: 160 })
    }

    const MIDDLE: Neighbourhood = Neighbourhood { middle: Point::new(100.0, 80.0), side: 50.0 };

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
}
