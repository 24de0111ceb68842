//! The artwork that the drawables of a scene name by index.

use super::drawable::Art;
use crate::attachment::LabelArt;

/// Gives the size of a label's artwork, in pixels. Implemented by the caller, who knows fonts.
pub trait Measure {
    /// Width and height of the artwork.
    fn measure(&self, art: &LabelArt) -> (f64, f64);
}

impl<F: Fn(&LabelArt) -> (f64, f64)> Measure for F {
    fn measure(&self, art: &LabelArt) -> (f64, f64) {
        self(art)
    }
}

/// Artwork, each once for an attachment, with its width and height in pixels.
#[derive(Debug, Default)]
pub(super) struct ArtworkRegistry {
    pub artwork: Vec<Art>,
    pub sizes: Vec<(f64, f64)>,
}

impl ArtworkRegistry {
    /// Takes artwork in, unless the attachment whose artwork begins at `from` has it; its index.
    pub fn enter(&mut self, from: usize, art: Art, size: (f64, f64)) -> usize {
        if let Some(known) = self.artwork[from..].iter().position(|known| *known == art) {
            return from + known;
        }
        self.sizes.push(size);
        self.artwork.push(art);
        self.artwork.len() - 1
    }
}
