//! Pictures and logos: made harmless when they come in, and laid into the film in perspective.

use jampin_core::geometry::{Homography, Point};
use jampin_core::scene::BentPiece;
use resvg::tiny_skia::{Pixmap, PremultipliedColorU8, Transform};
use resvg::usvg::{ImageHrefResolver, Options, Tree, WriteOptions};
use thiserror::Error;

use crate::Artwork;
use crate::bent::Lookup;
use crate::svg_bounds::{TooMuch, check};

/// Largest side of a vector picture as it is drawn once, in pixels.
const DRAWN_SIDE: f32 = 1536.0;
/// A small vector picture is not drawn larger than this many times.
const MOST_GROWTH: f32 = 16.0;
/// Artwork is drawn this many times as large as it is: so large the film shows it when it has come near.
const DETAIL: f64 = 4.0;
/// Points looked at across and down in a pixel of the film.
const SUBPIXELS: usize = 2;

/// A picture that cannot be used.
#[derive(Debug, Error)]
pub enum PictureError {
    /// Not an SVG that can be drawn.
    #[error("this SVG cannot be drawn: {0}")]
    Svg(#[from] resvg::usvg::Error),
    /// An SVG that asks for too much.
    #[error("this SVG cannot be taken: {0}")]
    TooMuch(#[from] TooMuch),
    /// Not a PNG.
    #[error("this picture cannot be read: {0}")]
    Png(#[from] png::DecodingError),
    /// Nothing to see.
    #[error("this picture has no pixel")]
    Empty,
}

/// An SVG as paths and gradients only: no script, no style sheet, no text, no filter, no reference to anything outside;
/// with its width and height. What would take too long to draw is refused.
pub fn harmless_svg(bytes: &[u8]) -> Result<(String, [u32; 2]), PictureError> {
    check(bytes)?;
    let tree = parse(bytes)?;
    let size = tree.size().to_int_size();
    let written = tree.to_string(&WriteOptions::default());
    // A circle of a radius that no number holds becomes thousands of pieces: what is kept has bounds as well.
    check(written.as_bytes())?;
    Ok((written, [size.width(), size.height()]))
}

fn parse(bytes: &[u8]) -> Result<Tree, PictureError> {
    // What an image in it refers to is never looked up, whether it is a file, an address or data.
    let image_href_resolver =
        ImageHrefResolver { resolve_data: Box::new(|_, _, _| None), resolve_string: Box::new(|_, _| None) };
    Ok(Tree::from_data(bytes, &Options { image_href_resolver, ..Options::default() })?)
}

/// A picture in several sizes, each half of the one before.
#[derive(Debug)]
pub(crate) struct Levels {
    levels: Vec<Pixmap>,
    size: [f64; 2],
}

impl Levels {
    /// From a PNG, or an SVG made harmless; `size` is its own width and height.
    pub fn new(bytes: &[u8], size: [u32; 2]) -> Result<Self, PictureError> {
        let first = if bytes.starts_with(b"\x89PNG") { decode_png(bytes)? } else { draw(bytes)? };
        Ok(Self::halved(first, size.map(f64::from)))
    }

    /// Artwork with what reaches beyond its box on each side; `None` when it is too large to be drawn.
    pub fn of_artwork(artwork: &Artwork) -> Option<Self> {
        let size = [artwork.width, artwork.height].map(|side| side + 2.0 * artwork.bleed);
        let grown = DETAIL.min(f64::from(DRAWN_SIDE) / size[0].max(size[1])).max(1.0);
        let sides = size.map(|side| (side * grown).ceil());
        let mut first = Pixmap::new(sides[0] as u32, sides[1] as u32)?;
        let (across, down) = ((sides[0] / size[0]) as f32, (sides[1] / size[1]) as f32);
        let bleed = artwork.bleed as f32;
        let transform = Transform::from_scale(across, down).pre_translate(bleed, bleed);
        resvg::render(&artwork.tree, transform, &mut first.as_mut());
        Some(Self::halved(first, size))
    }

    /// From its largest size; `size` is its own width and height.
    pub fn halved(first: Pixmap, size: [f64; 2]) -> Self {
        let mut levels = vec![first];
        while let Some(half) = levels.last().and_then(half) {
            levels.push(half);
        }
        Self { levels, size }
    }

    /// The corners of the picture in the film. `None` when one of them is behind the camera.
    pub fn corners(&self, map: &Homography) -> Option<[Point; 4]> {
        let [width, height] = self.size;
        let corners = [(0.0, 0.0), (width, 0.0), (width, height), (0.0, height)].map(|(x, y)| Point::new(x, y));
        let [g, h, i] = map.rows()[2];
        let depths = corners.map(|at| g * at.x + h * at.y + i);
        let is_in_front = depths.iter().all(|depth| depth * depths[0] > 0.0);
        is_in_front.then(|| corners.map(|at| map.apply(at)))
    }

    /// Paints the picture onto pixels whose top left corner is at `origin` in the film.
    pub fn paint(&self, map: &Homography, origin: Point, pixels: &mut Pixmap) -> Option<()> {
        let back = map.inverse()?;
        let level = self.level_for(area_of(&self.corners(map)?));
        let from = |place: [usize; 2]| {
            let [x, y] = place.map(|at| (at as f64 + 0.5) / SUBPIXELS as f64);
            Some(back.apply(origin + Point::new(x, y)))
        };
        self.sample(level, from, pixels);
        Some(())
    }

    /// Paints it in triangles onto pixels whose top left corner is at `origin` in the film. `margin` is what it has
    /// beyond the artwork on each side.
    pub fn paint_bent(&self, piece: &BentPiece, margin: f64, origin: Point, pixels: &mut Pixmap) {
        let (own, seen) = piece.triangles.iter().fold((0.0, 0.0), |(own, seen), corners| {
            (own + area_of(&corners.map(|i| piece.own[i])), seen + area_of(&corners.map(|i| piece.seen[i])))
        });
        let level = self.level_for(self.size[0] * self.size[1] * seen / f64::max(own, 1e-9));
        let sides = [pixels.width(), pixels.height()].map(|side| side as usize);
        let lookup = Lookup::of(piece, origin, (sides, SUBPIXELS));
        let from = |place: [usize; 2]| Some(lookup.at(place)? + Point::new(margin, margin));
        self.sample(level, from, pixels);
    }

    /// Fills pixels with the mean of their points, of which `from` says where in the picture they come from; its places
    /// count points across and down.
    fn sample(&self, level: &Pixmap, from: impl Fn([usize; 2]) -> Option<Point>, pixels: &mut Pixmap) {
        let scale = [f64::from(level.width()) / self.size[0], f64::from(level.height()) / self.size[1]];
        let width = pixels.width() as usize;
        for (i, pixel) in pixels.pixels_mut().iter_mut().enumerate() {
            let corner = [i % width, i / width].map(|at| at * SUBPIXELS);
            let mut sum = [0f32; 4];
            for sub in 0..SUBPIXELS * SUBPIXELS {
                if let Some(at) = from([corner[0] + sub % SUBPIXELS, corner[1] + sub / SUBPIXELS]) {
                    add_sample(level, at.x * scale[0], at.y * scale[1], &mut sum);
                }
            }
            let [r, g, b, a] = sum.map(|value| (value / (SUBPIXELS * SUBPIXELS) as f32 + 0.5) as u8);
            if let Some(colour) = PremultipliedColorU8::from_rgba(r.min(a), g.min(a), b.min(a), a) {
                *pixel = colour;
            }
        }
    }

    /// The smallest size with no fewer pixels than the film shows of it, nearly.
    fn level_for(&self, area: f64) -> &Pixmap {
        let first = f64::from(self.levels[0].width()) * f64::from(self.levels[0].height());
        // Each level has a quarter of the pixels; points within a pixel make up for one level.
        let halvings = (first / area.max(1.0)).log2() / 2.0 - (SUBPIXELS as f64).log2();
        let index = (halvings + 0.5).floor().clamp(0.0, (self.levels.len() - 1) as f64) as usize;
        &self.levels[index]
    }
}

/// Pixels within a polygon (the shoelace formula).
fn area_of(corners: &[Point]) -> f64 {
    let next = corners.iter().cycle().skip(1);
    corners.iter().zip(next).map(|(a, b)| a.x * b.y - a.y * b.x).sum::<f64>().abs() / 2.0
}

/// Adds what is at a place, bilinear; nothing outside.
fn add_sample(level: &Pixmap, x: f64, y: f64, sum: &mut [f32; 4]) {
    let (x, y) = (x - 0.5, y - 0.5);
    let (width, height) = (level.width() as i32, level.height() as i32);
    if !(x > -1.0 && y > -1.0 && x < f64::from(width) && y < f64::from(height)) {
        return;
    }
    let (col, row) = (x.floor(), y.floor());
    let (u, v) = ((x - col) as f32, (y - row) as f32);
    let (col, row) = (col as i32, row as i32);
    let pixels = level.data().as_chunks::<4>().0;
    for (dx, dy, weight) in [(0, 0, (1.0 - u) * (1.0 - v)), (1, 0, u * (1.0 - v)), (0, 1, (1.0 - u) * v), (1, 1, u * v)]
    {
        let (col, row) = (col + dx, row + dy);
        if (0..width).contains(&col) && (0..height).contains(&row) {
            let pixel = pixels[(row * width + col) as usize];
            (0..4).for_each(|c| sum[c] += weight * f32::from(pixel[c]));
        }
    }
}

fn half(pixmap: &Pixmap) -> Option<Pixmap> {
    let (width, height) = (pixmap.width() / 2, pixmap.height() / 2);
    let mut out = Pixmap::new(width, height).filter(|_| width >= 8 && height >= 8)?;
    let source = pixmap.data().as_chunks::<4>().0;
    let stride = pixmap.width() as usize;
    for (i, target) in out.data_mut().as_chunks_mut::<4>().0.iter_mut().enumerate() {
        let at = (i / width as usize) * 2 * stride + (i % width as usize) * 2;
        let four = [source[at], source[at + 1], source[at + stride], source[at + stride + 1]];
        for c in 0..4 {
            target[c] = ((four.iter().map(|pixel| u32::from(pixel[c])).sum::<u32>() + 2) / 4) as u8;
        }
    }
    Some(out)
}

fn decode_png(bytes: &[u8]) -> Result<Pixmap, PictureError> {
    let mut decoder = png::Decoder::new(std::io::Cursor::new(bytes));
    decoder.set_transformations(png::Transformations::normalize_to_color8() | png::Transformations::ALPHA);
    let mut reader = decoder.read_info()?;
    let mut data = vec![0; reader.output_buffer_size().ok_or(PictureError::Empty)?];
    let info = reader.next_frame(&mut data)?;
    let mut pixmap = Pixmap::new(info.width, info.height).ok_or(PictureError::Empty)?;
    let channels = info.color_type.samples();
    for (target, source) in pixmap.pixels_mut().iter_mut().zip(data.chunks_exact(channels)) {
        let [r, g, b, a] = if channels == 4 {
            [source[0], source[1], source[2], source[3]]
        } else {
            [source[0], source[0], source[0], source[channels - 1]]
        };
        *target = resvg::tiny_skia::ColorU8::from_rgba(r, g, b, a).premultiply();
    }
    Ok(pixmap)
}

fn draw(bytes: &[u8]) -> Result<Pixmap, PictureError> {
    let tree = parse(bytes)?;
    let size = tree.size();
    let scale = (DRAWN_SIDE / size.width().max(size.height())).min(MOST_GROWTH);
    let (width, height) = ((size.width() * scale).ceil(), (size.height() * scale).ceil());
    let mut pixmap = Pixmap::new(width as u32, height as u32).ok_or(PictureError::Empty)?;
    let transform = Transform::from_scale(width / size.width(), height / size.height());
    resvg::render(&tree, transform, &mut pixmap.as_mut());
    Ok(pixmap)
}

#[cfg(test)]
mod tests {
    use super::*;

    const CREST: &str = r##"<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="80" height="40">
        <script>alert(1)</script><style>@import url(http://example.org/x.css);</style>
        <rect width="40" height="40" fill="#ff0000" onclick="alert(2)"/><rect x="40" width="40" height="40" fill="#0000ff"/>
        <image xlink:href="file:///etc/hostname" width="10" height="10"/><image href="http://example.org/a.png" width="10" height="10"/>
        <foreignObject width="9" height="9"><body xmlns="http://www.w3.org/1999/xhtml"/></foreignObject></svg>"##;

    #[test]
    fn an_svg_is_made_harmless() {
        let (svg, size) = harmless_svg(CREST.as_bytes()).unwrap();
        assert_eq!(size, [80, 40]);
        for word in ["script", "alert", "onclick", "import", "example", "hostname", "foreignObject", "href=\"h"] {
            assert!(!svg.contains(word), "{word} in {svg}");
        }
        assert!(svg.contains("#ff0000") || svg.contains("red"), "{svg}");
        assert!(harmless_svg(b"<svg").is_err() && harmless_svg(b"").is_err());
    }

    /// Found among 60,000 changed pictures.
    #[test]
    fn what_is_kept_has_bounds_as_well() {
        let huge = "<svg xmlns='http://www.w3.org/2000/svg' width='10' height='10'><circle r='99999999999999999999' opacity='.3'/></svg>";
        let again = harmless_svg(huge.as_bytes()).map(|(svg, _)| harmless_svg(svg.as_bytes()).is_ok());
        assert!(again.unwrap_or(true), "kept, and not taken again");
        let few = "<svg xmlns='http://www.w3.org/2000/svg' width='10' height='10'><circle r='4' opacity='.3'/></svg>";
        assert!(harmless_svg(few.as_bytes()).is_ok());
    }

    #[test]
    fn it_is_laid_into_perspective_where_the_map_says() {
        let picture = Levels::new(CREST.as_bytes(), [80, 40]).unwrap();
        let map = Homography::new([[2.0, 0.3, 50.0], [0.1, 2.5, 30.0], [0.002, 0.001, 1.0]]);
        let mut pixels = Pixmap::new(300, 200).unwrap();
        picture.paint(&map, Point::new(10.0, 5.0), &mut pixels).unwrap();
        let colour = |at: Point| {
            let seen = map.apply(at) - Point::new(10.0, 5.0);
            let pixel = pixels.pixel(seen.x as u32, seen.y as u32).unwrap();
            [pixel.red(), pixel.blue(), pixel.alpha()]
        };
        assert_eq!(colour(Point::new(10.0, 20.0)), [255, 0, 255]);
        assert_eq!(colour(Point::new(70.0, 20.0)), [0, 255, 255]);
        assert_eq!(colour(Point::new(38.0, 35.0)), [255, 0, 255]);
        assert_eq!(colour(Point::new(42.0, 35.0)), [0, 255, 255]);
        assert_eq!(pixels.pixel(2, 2).unwrap().alpha(), 0);
        let behind = Homography::new([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [-0.05, 0.0, 1.0]]);
        assert!(picture.corners(&behind).is_none());
    }

    #[test]
    fn a_small_picture_of_a_large_one_is_its_mean() {
        let stripes = |x: u32| if x.is_multiple_of(2) { 255 } else { 0 };
        let mut bytes = Vec::new();
        let mut encoder = png::Encoder::new(&mut bytes, 512, 512);
        encoder.set_color(png::ColorType::Grayscale);
        let data: Vec<u8> = (0..512 * 512).map(|i| stripes(i % 512)).collect();
        encoder.write_header().unwrap().write_image_data(&data).unwrap();
        let picture = Levels::new(&bytes, [512, 512]).unwrap();
        let mut pixels = Pixmap::new(40, 40).unwrap();
        let map = Homography::new([[0.07, 0.0, 0.0], [0.0, 0.07, 0.0], [0.0, 0.0, 1.0]]);
        picture.paint(&map, Point::default(), &mut pixels).unwrap();
        let value = pixels.pixel(17, 17).unwrap().red();
        assert!(value.abs_diff(128) < 4, "{value}: no stripes are left");
    }
}
