//! A flare on one frame.

use super::drawable::{Drawable, LumaGate, Primitive};
use super::item_context::ItemContext;
use super::stance::stance;
use crate::attachment::{Flare, FlarePart, Orientation};
use crate::geometry::Point;
use crate::time::Frame;

#[derive(Debug)]
pub(super) struct PlacedFlare {
    pub flare: Flare,
    /// Indices of the artwork of each piece.
    pub art: Vec<usize>,
    /// The middle of the picture.
    pub middle: Point,
}

impl PlacedFlare {
    pub fn drawables(&self, item: &ItemContext, frame: Frame) -> Option<Vec<Drawable>> {
        let source = stance(&item.show.takes, Orientation::default(), &item.poses, frame)?.apply(self.flare.place);
        let drawable = |(art, (part, share, along)): (&usize, (FlarePart, f64, Option<f64>))| {
            let at = along.map_or(source, |along| self.middle + (self.middle - source) * along);
            let matrix = [1.0, 0.0, 0.0, 1.0, at.x - part.reach.0, at.y - part.reach.1];
            let luma_gate = self.flare.fades_below.map(|threshold| LumaGate { at: source, threshold });
            Drawable { luma_gate, ..item.drawable(Primitive::Artwork { art: *art, matrix }, share) }
        };
        Some(self.art.iter().zip(self.flare.parts()).map(drawable).collect())
    }
}
