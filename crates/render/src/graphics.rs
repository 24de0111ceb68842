//! Graphics alone, over nothing: with transparency.

use jampin_core::attachment::Blend;
use jampin_core::geometry::Size;

use crate::{Layer, blend_channel};

/// A picture of graphics: red, green, blue (not multiplied by coverage) and coverage, a byte each, row by row.
#[derive(Debug)]
pub struct Graphics {
    size: Size,
    pixels: Vec<[u8; 4]>,
}

impl Graphics {
    /// Nothing yet.
    pub fn new(size: Size) -> Self {
        Self { size, pixels: vec![[0; 4]; size.area()] }
    }

    /// Width and height.
    pub fn size(&self) -> Size {
        self.size
    }

    /// The bytes.
    pub fn data(&self) -> &[u8] {
        self.pixels.as_flattened()
    }

    /// Puts a layer on top. One that brings the film's picture back takes away what is there.
    pub fn blend(&mut self, layer: &Layer) {
        let width = layer.pixels.width() as usize;
        for (i, pixel) in layer.pixels.data().as_chunks::<4>().0.iter().enumerate().filter(|(_, pixel)| pixel[3] > 0) {
            let (x, y) = (layer.left + (i % width) as i32, layer.top + (i / width) as i32);
            if x < 0 || y < 0 || x >= self.size.width as i32 || y >= self.size.height as i32 {
                continue;
            }
            let below = &mut self.pixels[y as usize * self.size.width as usize + x as usize];
            let coverage = f32::from(pixel[3]) / 255.0;
            let colour = [0, 1, 2].map(|c| f32::from(pixel[c]) / 255.0 / coverage);
            let coverage = coverage * layer.opacity;
            *below =
                if layer.restores { without(*below, coverage) } else { over(layer.blend, *below, colour, coverage) };
        }
    }
}

fn without(below: [u8; 4], coverage: f32) -> [u8; 4] {
    let [r, g, b, alpha] = below;
    let left = (f32::from(alpha) * (1.0 - coverage) + 0.5) as u8;
    if left == 0 { [0; 4] } else { [r, g, b, left] }
}

/// W3C, *Compositing and Blending Level 1*, section 9: `co = as (1 - ab) Cs + as ab B(Cb, Cs) + (1 - as) ab Cb`, with
/// source-over (Porter & Duff 1984) coverage `ao = as + ab (1 - as)`; added light adds both.
fn over(blend: Blend, below: [u8; 4], source: [f32; 3], coverage: f32) -> [u8; 4] {
    let backdrop = [0, 1, 2].map(|c| f32::from(below[c]) / 255.0);
    let under = f32::from(below[3]) / 255.0;
    let total = if blend == Blend::Add { (under + coverage).min(1.0) } else { coverage + under * (1.0 - coverage) };
    let channel = |c: usize| {
        let (cb, cs) = (backdrop[c], source[c]);
        let sum = if blend == Blend::Add {
            (coverage * cs + under * cb).min(total)
        } else {
            let mixed = blend_channel(blend, cb, cs, 1.0);
            coverage * (1.0 - under) * cs + coverage * under * mixed + (1.0 - coverage) * under * cb
        };
        (255.0 * sum / total.max(1e-6) + 0.5).min(255.0) as u8
    };
    [channel(0), channel(1), channel(2), (255.0 * total + 0.5) as u8]
}

#[cfg(test)]
mod tests {
    use resvg::tiny_skia::{Color, Pixmap};

    use super::*;

    fn layer(colour: Color, blend: Blend, restores: bool) -> Layer {
        let mut pixels = Pixmap::new(2, 2).unwrap();
        pixels.fill(colour);
        Layer { left: 1, top: 1, pixels, opacity: 1.0, blend, restores }
    }

    fn painted(layers: &[Layer]) -> [u8; 4] {
        let mut graphics = Graphics::new(Size::new(4, 4));
        layers.iter().for_each(|layer| graphics.blend(layer));
        assert_eq!(graphics.pixels[0], [0; 4], "nothing beside it");
        graphics.pixels[5]
    }

    /// Porter & Duff 1984, source over, worked by hand: coverage 0.6 + 0.4 * 0.5 = 0.8; red is 0.6, green 0.2 of it.
    #[test]
    fn half_over_half_is_three_quarters() {
        let green = layer(Color::from_rgba8(0, 255, 0, 128), Blend::Normal, false);
        let red = layer(Color::from_rgba8(255, 0, 0, 153), Blend::Normal, false);
        let [r, g, b, a] = painted(&[green, red]);
        assert!(r.abs_diff(191) < 2 && g.abs_diff(64) < 2 && b == 0 && a.abs_diff(204) < 2, "{:?}", [r, g, b, a]);
    }

    #[test]
    fn over_nothing_every_mode_is_plain_and_added_light_adds() {
        let half = |blend| layer(Color::from_rgba8(200, 100, 50, 128), blend, false);
        for blend in [Blend::Normal, Blend::Multiply, Blend::Screen, Blend::Overlay, Blend::Add] {
            let [r, g, b, a] = painted(&[half(blend)]);
            assert!(r.abs_diff(200) < 2 && g.abs_diff(100) < 2 && b.abs_diff(50) < 2 && a == 128, "{blend:?}");
        }
        let [r, _, _, a] = painted(&[half(Blend::Add), half(Blend::Add)]);
        assert!(a == 255 && r.abs_diff(200) < 3, "{r} {a}");
    }

    #[test]
    fn what_stands_in_front_takes_away() {
        let red = layer(Color::from_rgba8(255, 0, 0, 255), Blend::Normal, false);
        let front = layer(Color::from_rgba8(255, 255, 255, 128), Blend::Normal, true);
        assert_eq!(painted(&[red, front]), [255, 0, 0, 127]);
    }
}
