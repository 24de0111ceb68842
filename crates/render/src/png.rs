//! Planes as PNG.

use jampin_core::image::Plane;

/// A plane as an 8-bit grey PNG. Small pictures only: it is all made in memory.
pub fn grey_png(plane: &Plane) -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, plane.size().width, plane.size().height);
    encoder.set_color(png::ColorType::Grayscale);
    encoder.set_depth(png::BitDepth::Eight);
    encoder.set_compression(png::Compression::Fast);
    let written = encoder.write_header().and_then(|mut writer| writer.write_image_data(plane.data()));
    written.expect("a plane has the bytes that its size asks for, and memory does not refuse a write");
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
