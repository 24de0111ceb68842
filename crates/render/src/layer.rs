//! Part of a frame's graphics as a small picture.

use jampin_core::attachment::Blend;
use jampin_core::geometry::Point;
use resvg::tiny_skia::{BlendMode, Path, PathBuilder, Pixmap, PixmapPaint, Transform};

use crate::soften::soften;

/// Part of a frame's graphics: premultiplied RGBA and where its top left corner is in the picture.
#[derive(Debug)]
pub struct Layer {
    /// Column of the picture at which it starts.
    pub left: i32,
    /// Row of the picture at which it starts.
    pub top: i32,
    /// The pixels.
    pub pixels: Pixmap,
    /// Share of the light that the whole covers, on top of the pixels' own.
    pub opacity: f32,
    /// How it is blended in.
    pub blend: Blend,
    /// The film's own picture comes back here, as far as the layer covers; its colours do not count.
    pub restores: bool,
}

impl Layer {
    /// A path of these lines, seen from the layer's corner.
    pub(crate) fn path(&self, lines: &[Vec<Point>], closed: bool) -> Option<Path> {
        let mut path = PathBuilder::new();
        for line in lines {
            for (i, point) in line.iter().enumerate() {
                let (x, y) = ((point.x - f64::from(self.left)) as f32, (point.y - f64::from(self.top)) as f32);
                if i == 0 { path.move_to(x, y) } else { path.line_to(x, y) }
            }
            if closed {
                path.close();
            }
        }
        path.finish()
    }

    /// Takes the coverage of another layer out of this one.
    pub(crate) fn take_out(&mut self, other: &Layer) {
        let (x, y) = (other.left - self.left, other.top - self.top);
        let paint = PixmapPaint { blend_mode: BlendMode::DestinationOut, ..PixmapPaint::default() };
        self.pixels.draw_pixmap(x, y, other.pixels.as_ref(), &paint, Transform::identity(), None);
    }

    pub(crate) fn soften(&mut self, deviation: f64) {
        if deviation > 0.0 {
            soften(&mut self.pixels, deviation);
        }
    }
}
