//! Pictures as PNG.

use jampin_core::attachment::Blend;
use jampin_core::geometry::Size;
use jampin_core::image::Plane;
use png::ColorType;
use resvg::tiny_skia::{Pixmap, Transform};

use crate::{Artwork, FilmPicture, Graphics, Layer};

/// A plane as an 8-bit grey PNG. Small pictures only: it is all made in memory.
pub fn grey_png(plane: &Plane) -> Vec<u8> {
    png(plane.size(), ColorType::Grayscale, plane.data())
}

impl Artwork {
    /// As PNG of its own size, with transparency.
    pub fn png(&self) -> Vec<u8> {
        let size = Size::new(self.width.ceil().max(1.0) as u32, self.height.ceil().max(1.0) as u32);
        let mut pixels = Pixmap::new(size.width, size.height).expect("neither side is nothing");
        resvg::render(&self.tree, Transform::identity(), &mut pixels.as_mut());
        let layer = Layer { left: 0, top: 0, pixels, opacity: 1.0, blend: Blend::Normal, restores: false };
        let mut graphics = Graphics::new(size);
        graphics.blend(&layer);
        graphics.png()
    }
}

impl Graphics {
    /// As PNG, 8 bits each of red, green, blue and coverage.
    pub fn png(&self) -> Vec<u8> {
        png(self.size(), ColorType::Rgba, self.data())
    }
}

impl FilmPicture<'_> {
    /// As PNG, 8 bits each of red, green and blue.
    pub fn png(&self) -> Vec<u8> {
        let (width, height) = (self.size().width as i32, self.size().height as i32);
        let places = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
        let colours = places.filter_map(|(x, y)| self.colour(x, y)).flatten();
        let bytes: Vec<u8> = colours.map(|value| (255.0 * value + 0.5) as u8).collect();
        png(self.size(), ColorType::Rgb, &bytes)
    }
}

fn png(size: Size, colours: ColorType, data: &[u8]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, size.width, size.height);
    encoder.set_color(colours);
    encoder.set_depth(png::BitDepth::Eight);
    encoder.set_compression(png::Compression::Fast);
    let written = encoder.write_header().and_then(|mut writer| writer.write_image_data(data));
    written.expect("the picture has the bytes that its size asks for, and memory does not refuse a write");
    out
}

#[cfg(test)]
mod tests {
    use jampin_core::geometry::Size;

    use super::*;

    #[test]
    fn the_picture_comes_back() {
        let plane = Plane::from_fn(Size::new(7, 5), |col, row| (col * 30 + row) as u8);
        let bytes = grey_png(&plane);
        let mut reader = png::Decoder::new(std::io::Cursor::new(bytes)).read_info().unwrap();
        let mut back = vec![0; 35];
        reader.next_frame(&mut back).unwrap();
        assert_eq!(back, plane.data());
    }
}
