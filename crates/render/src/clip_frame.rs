//! Frames of film clips that hang in a shot, as they come from the decoder.

use std::collections::HashMap;
use std::sync::{Arc, OnceLock};

use jampin_core::attachment::ColourKey;
use resvg::tiny_skia::{Pixmap, PremultipliedColorU8};

use crate::picture::Levels;

/// Red, green, blue and how much is there, 8 bits each, not multiplied: a frame of a clip.
#[derive(Debug)]
pub struct ClipPicture {
    size: [u32; 2],
    rgba: Vec<u8>,
    /// Ready to be laid, made once, by whoever paints it first.
    levels: OnceLock<Option<Levels>>,
}

/// The frames that a frame of the shot shows, by the scene's artwork.
pub type ClipFrames = HashMap<usize, Arc<ClipPicture>>;

impl ClipPicture {
    /// `None` when the number of bytes does not fit the size.
    pub fn new(size: [u32; 2], rgba: Vec<u8>) -> Option<Self> {
        let bytes = 4 * size[0] as usize * size[1] as usize;
        (rgba.len() == bytes).then(|| Self { size, rgba, levels: OnceLock::new() })
    }

    /// Without its background, in several sizes. `shown`: its width and height as the scene knows it.
    pub(crate) fn levels(&self, key: Option<&ColourKey>, shown: [u32; 2]) -> Option<&Levels> {
        self.levels.get_or_init(|| Some(Levels::halved(self.keyed(key)?, shown.map(f64::from)))).as_ref()
    }

    fn keyed(&self, key: Option<&ColourKey>) -> Option<Pixmap> {
        let mut pixels = Pixmap::new(self.size[0], self.size[1])?;
        let keyer = key.map(ColourKey::keyer);
        for (to, [r, g, b, a]) in pixels.pixels_mut().iter_mut().zip(self.rgba.as_chunks::<4>().0) {
            let own = [*r, *g, *b].map(|value| f64::from(value) / 255.0);
            let [red, green, blue, share] = match &keyer {
                Some(keyer) => keyer.pixel(own),
                None => [own[0], own[1], own[2], 1.0],
            };
            let alpha = share * f64::from(*a);
            let [red, green, blue] = [red, green, blue].map(|value| (value * alpha + 0.5) as u8);
            let alpha = (alpha + 0.5) as u8;
            if let Some(colour) =
                PremultipliedColorU8::from_rgba(red.min(alpha), green.min(alpha), blue.min(alpha), alpha)
            {
                *to = colour;
            }
        }
        Some(pixels)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_background_goes_and_its_own_transparency_stays() {
        let pixels: Vec<u8> = [[0, 177, 64, 255], [200, 40, 30, 255], [200, 40, 30, 128], [0, 0, 0, 0]].concat();
        let picture = ClipPicture::new([2, 2], pixels).unwrap();
        let keyed = picture.keyed(Some(&ColourKey::default())).unwrap();
        let at = |i: usize| keyed.pixels()[i];
        assert_eq!((at(0).alpha(), at(3).alpha()), (0, 0));
        assert_eq!((at(1).red(), at(1).alpha(), at(2).red(), at(2).alpha()), (200, 255, 100, 128));
        let plain = picture.keyed(None).unwrap();
        assert_eq!((plain.pixels()[0].green(), plain.pixels()[0].alpha()), (177, 255));
        assert!(ClipPicture::new([2, 3], vec![0; 16]).is_none());
    }
}
