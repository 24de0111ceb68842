//! Drawables painted to small pictures, each just large enough, with the place where it belongs.

use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::sync::{Arc, OnceLock};

use jampin_core::attachment::Blend;
use jampin_core::geometry::{Homography, Point, Size};
use jampin_core::scene::{Art, BentPiece, ClipArt, Drawable, LumaGate, Primitive, Speck};
use resvg::tiny_skia::{Color, FillRule, LineCap, LineJoin, Paint, Pixmap, Stroke, Transform};
use thiserror::Error;
use uuid::Uuid;

use crate::clip_frame::ClipFrames;
use crate::colour::parse_colour;
use crate::cover::{cover, keep_bright};
use crate::layer::Layer;
use crate::picture::Levels;
use crate::soften::REACH;
use crate::{Artwork, FilmPicture, PictureError, TypesetError, Typesetter};

/// Largest side of a layer, in pixels; a drawable that would need more is far outside any picture.
const LARGEST_LAYER: f64 = 20_000.0;

/// A scene that cannot be painted.
#[derive(Debug, Error)]
pub enum PainterError {
    /// A label cannot be drawn.
    #[error(transparent)]
    Label(#[from] TypesetError),
    /// A picture is not there.
    #[error("a picture of this shot is not there any more; take it off its subject, or bring it in again")]
    Missing,
    /// A picture cannot be read.
    #[error(transparent)]
    Picture(#[from] PictureError),
}

/// The bytes of the pictures of a scene.
pub type Pictures = HashMap<Uuid, Vec<u8>>;

#[derive(Debug)]
enum Drawn {
    /// Drawn anew for each place; as pixels, made once, where it lies in perspective.
    Artwork(Arc<Artwork>, OnceLock<Option<Levels>>),
    /// However often it hangs in the shot.
    Picture(Arc<Levels>),
    /// A film clip, of which each frame comes with what it is painted into.
    Clip(ClipArt),
}

/// What of films is needed to paint a frame.
#[derive(Clone, Copy, Debug, Default)]
pub struct Behind<'a> {
    /// The frame as it was decoded, for covers and what else needs it ([`Drawable::needs_picture`]); without it these
    /// are left out.
    pub film: Option<&'a FilmPicture<'a>>,
    /// Frames of the film clips that hang in it; what is not among them is left out.
    pub clips: Option<&'a ClipFrames>,
}

/// Paints the drawables of one scene.
#[derive(Debug)]
pub struct Painter {
    artwork: Vec<Drawn>,
    picture: Size,
}

impl Painter {
    /// Prepares the scene's artwork, in its order. `pictures` has what the scene's pictures look like.
    pub fn new<'a>(
        typesetter: &Typesetter,
        artwork: impl Iterator<Item = &'a Art>,
        pictures: &Pictures,
        picture: Size,
    ) -> Result<Self, PainterError> {
        let mut decoded: HashMap<(Uuid, [u32; 2]), Arc<Levels>> = HashMap::new();
        let drawn = |art: &Art| {
            Ok(match art {
                Art::Label(art) => Drawn::Artwork(typesetter.artwork(art)?, OnceLock::new()),
                Art::Flare(part) => Drawn::Artwork(typesetter.flare(part)?, OnceLock::new()),
                Art::Picture(id, size) => Drawn::Picture(match decoded.entry((*id, *size)) {
                    Entry::Occupied(known) => Arc::clone(known.get()),
                    Entry::Vacant(new) => {
                        let bytes = pictures.get(id).ok_or(PainterError::Missing)?;
                        Arc::clone(new.insert(Arc::new(Levels::new(bytes, *size)?)))
                    }
                }),
                Art::Clip(clip) => Drawn::Clip(clip.clone()),
            })
        };
        Ok(Self { artwork: artwork.map(drawn).collect::<Result<_, PainterError>>()?, picture })
    }

    /// The layers of a frame, from back to front; what lies outside the picture is left out. Each is painted when it is
    /// asked for: hundreds of them at once would take gigabytes.
    pub fn layers<'a>(&'a self, drawables: &'a [Drawable], behind: Behind<'a>) -> impl Iterator<Item = Layer> + 'a {
        drawables.iter().filter_map(move |drawable| self.layer(drawable, behind))
    }

    fn layer(&self, drawable: &Drawable, behind: Behind<'_>) -> Option<Layer> {
        let lit = match drawable.luma_gate {
            Some(lit) => lit.share(behind.film?.luma_around(lit.at, LumaGate::REACH)),
            None => 1.0,
        };
        let opacity = (drawable.opacity * lit).clamp(0.0, 1.0) as f32;
        let layer = if drawable.exposures.is_empty() {
            self.primitive_layer(&drawable.primitive, opacity, behind)?
        } else {
            let exposed = drawable.exposed();
            let layers = exposed.iter().map(|shape| self.primitive_layer(shape, opacity, behind)).collect();
            mean(layers, opacity)?
        };
        Some(Layer { blend: drawable.blend, ..layer })
    }

    fn primitive_layer(&self, shape: &Primitive, opacity: f32, behind: Behind<'_>) -> Option<Layer> {
        Some(match shape {
            Primitive::Artwork { art, matrix } => match self.artwork.get(*art)? {
                Drawn::Artwork(artwork, _) => self.artwork_layer(artwork, *matrix, opacity)?,
                Drawn::Picture(_) | Drawn::Clip(_) => return None,
            },
            Primitive::Flat { art, matrix } => match self.artwork.get(*art)? {
                Drawn::Picture(picture) => self.flat_layer(picture, &Homography::new(*matrix), opacity)?,
                Drawn::Artwork(artwork, levels) => {
                    let levels = levels.get_or_init(|| Levels::of_artwork(artwork)).as_ref()?;
                    let margin = Point::new(-artwork.bleed, -artwork.bleed);
                    self.flat_layer(levels, &Homography::new(*matrix).after(&Homography::shift(margin)), opacity)?
                }
                Drawn::Clip(_) => return None,
            },
            Primitive::ClipFrame { art, matrix, .. } => {
                let Drawn::Clip(clip) = self.artwork.get(*art)? else { return None };
                let levels = behind.clips?.get(art)?.levels(clip.key.as_ref(), clip.pixels)?;
                self.flat_layer(levels, &Homography::new(*matrix), opacity)?
            }
            Primitive::Bent(piece) => self.bent_layer(piece, opacity, behind)?,
            Primitive::Line { from, to, width, colour } => {
                let line = Lines { lines: &[vec![*from, *to]], closed: false, width: *width, round: true, blur: 0.0 };
                self.stroke_layer(&line, colour, opacity)?
            }
            Primitive::Stroke { lines, closed, width, colour, round, blur } => {
                let lines = Lines { lines, closed: *closed, width: *width, round: *round, blur: *blur };
                self.stroke_layer(&lines, colour, opacity)?
            }
            Primitive::Area { rings, colour, blur } => self.area_layer(rings, *blur, colour, opacity)?,
            Primitive::Specks { specks, colour, blur } => {
                let rings: Vec<Vec<Point>> = specks.iter().map(Speck::ring).collect();
                self.area_layer(&rings, *blur, colour, opacity)?
            }
            Primitive::Cover { rings, middle, feather, inside_out, effect } => {
                let mut layer = self.mask(rings, *feather, *inside_out, opacity)?;
                cover(&mut layer, behind.film?, effect, *middle);
                layer
            }
            Primitive::Foreground { rings, feather, brightness } => {
                let mut layer = self.mask(rings, *feather, rings.is_empty(), opacity)?;
                if let Some(brightness) = brightness {
                    keep_bright(&mut layer, behind.film?, brightness);
                }
                layer.restores = true;
                layer
            }
        })
    }

    /// What lies in polygons, or everything but, as a layer of one colour.
    fn mask(&self, rings: &[Vec<Point>], feather: f64, inside_out: bool, opacity: f32) -> Option<Layer> {
        let inside = self.area_layer(rings, feather, "#ffffff", opacity);
        if !inside_out {
            return inside;
        }
        let (width, height) = (f64::from(self.picture.width), f64::from(self.picture.height));
        let mut whole = self.blank(&[Point::default(), Point::new(width, height)], 0.0, opacity)?;
        whole.pixels.fill(Color::WHITE);
        if let Some(inside) = inside {
            whole.take_out(&inside);
        }
        Some(whole)
    }

    fn artwork_layer(&self, artwork: &Artwork, matrix: [f64; 6], opacity: f32) -> Option<Layer> {
        let [a, b, c, d, e, f] = matrix;
        let corner = |x: f64, y: f64| Point::new(a * x + c * y + e, b * x + d * y + f);
        let (width, height) = (artwork.width, artwork.height);
        let corners = [corner(0.0, 0.0), corner(width, 0.0), corner(0.0, height), corner(width, height)];
        let bleed = artwork.bleed * (a * d - b * c).abs().sqrt();
        let mut layer = self.blank(&corners, bleed + 1.0, opacity)?;
        let [a, b, c, d] = [a, b, c, d].map(|v| v as f32);
        let (x, y) = ((e - f64::from(layer.left)) as f32, (f - f64::from(layer.top)) as f32);
        let transform = Transform::from_row(a, b, c, d, x, y);
        resvg::render(&artwork.tree, transform, &mut layer.pixels.as_mut());
        Some(layer)
    }

    fn flat_layer(&self, picture: &Levels, map: &Homography, opacity: f32) -> Option<Layer> {
        let mut layer = self.blank(&picture.corners(map)?, 1.0, opacity)?;
        let origin = Point::new(f64::from(layer.left), f64::from(layer.top));
        picture.paint(map, origin, &mut layer.pixels)?;
        Some(layer)
    }

    fn bent_layer(&self, piece: &BentPiece, opacity: f32, behind: Behind<'_>) -> Option<Layer> {
        let mut layer = self.blank(&piece.seen, 1.0, opacity)?;
        let origin = Point::new(f64::from(layer.left), f64::from(layer.top));
        match self.artwork.get(piece.art)? {
            Drawn::Picture(picture) => picture.paint_bent(piece, 0.0, origin, &mut layer.pixels),
            Drawn::Artwork(artwork, levels) => {
                let levels = levels.get_or_init(|| Levels::of_artwork(artwork)).as_ref()?;
                levels.paint_bent(piece, artwork.bleed, origin, &mut layer.pixels);
            }
            Drawn::Clip(clip) => {
                let levels = behind.clips?.get(&piece.art)?.levels(clip.key.as_ref(), clip.pixels)?;
                levels.paint_bent(piece, 0.0, origin, &mut layer.pixels);
            }
        }
        Some(layer)
    }

    fn stroke_layer(&self, lines: &Lines<'_>, colour: &str, opacity: f32) -> Option<Layer> {
        let mut layer = self.blank(&lines.lines.concat(), lines.width / 2.0 + REACH * lines.blur + 1.0, opacity)?;
        let stroke = Stroke {
            width: lines.width as f32,
            line_cap: if lines.round { LineCap::Round } else { LineCap::Butt },
            line_join: LineJoin::Round,
            ..Stroke::default()
        };
        let path = layer.path(lines.lines, lines.closed)?;
        layer.pixels.stroke_path(&path, &paint(colour), &stroke, Transform::identity(), None);
        layer.soften(lines.blur);
        Some(layer)
    }

    fn area_layer(&self, rings: &[Vec<Point>], blur: f64, colour: &str, opacity: f32) -> Option<Layer> {
        let mut layer = self.blank(&rings.concat(), REACH * blur + 1.0, opacity)?;
        let path = layer.path(rings, true)?;
        layer.pixels.fill_path(&path, &paint(colour), FillRule::Winding, Transform::identity(), None);
        layer.soften(blur);
        Some(layer)
    }

    /// An empty layer that holds these points with a margin, cut to the picture; `None` when nothing is left.
    fn blank(&self, points: &[Point], margin: f64, opacity: f32) -> Option<Layer> {
        let least = |value: fn(&Point) -> f64| points.iter().map(value).fold(f64::INFINITY, f64::min) - margin;
        let most = |value: fn(&Point) -> f64| points.iter().map(value).fold(f64::NEG_INFINITY, f64::max) + margin;
        let (width, height) = (f64::from(self.picture.width), f64::from(self.picture.height));
        let left = least(|p| p.x).floor().clamp(0.0, width);
        let top = least(|p| p.y).floor().clamp(0.0, height);
        let right = most(|p| p.x).ceil().clamp(0.0, width);
        let bottom = most(|p| p.y).ceil().clamp(0.0, height);
        if right <= left || bottom <= top || opacity == 0.0 || right - left > LARGEST_LAYER {
            return None;
        }
        let pixels = Pixmap::new((right - left) as u32, (bottom - top) as u32)?;
        Some(Layer { left: left as i32, top: top as i32, pixels, opacity, blend: Blend::Normal, restores: false })
    }
}

/// Lines to stroke in one go.
struct Lines<'a> {
    lines: &'a [Vec<Point>],
    closed: bool,
    width: f64,
    round: bool,
    blur: f64,
}

/// The mean of several exposures of one drawable.
fn mean(layers: Vec<Option<Layer>>, opacity: f32) -> Option<Layer> {
    let count = layers.len() as f32;
    let layers: Vec<Layer> = layers.into_iter().flatten().collect();
    let left = layers.iter().map(|layer| layer.left).min()?;
    let top = layers.iter().map(|layer| layer.top).min()?;
    let right = layers.iter().map(|layer| layer.left + layer.pixels.width() as i32).max()?;
    let bottom = layers.iter().map(|layer| layer.top + layer.pixels.height() as i32).max()?;
    let (width, height) = ((right - left) as usize, (bottom - top) as usize);
    let mut sums = vec![0.5 * count; 4 * width * height];
    for layer in &layers {
        let columns = 4 * layer.pixels.width() as usize;
        for (row, line) in layer.pixels.data().chunks_exact(columns).enumerate() {
            let at = 4 * ((layer.top - top) as usize + row) * width + 4 * (layer.left - left) as usize;
            sums[at..at + columns].iter_mut().zip(line).for_each(|(sum, value)| *sum += f32::from(*value));
        }
    }
    let mut pixels = Pixmap::new(width as u32, height as u32)?;
    pixels.data_mut().iter_mut().zip(sums).for_each(|(value, sum)| *value = (sum / count) as u8);
    let restores = layers.iter().any(|layer| layer.restores);
    Some(Layer { left, top, pixels, opacity, blend: Blend::Normal, restores })
}

fn paint(colour: &str) -> Paint<'static> {
    let mut paint = Paint { anti_alias: true, ..Paint::default() };
    paint.set_color(parse_colour(colour));
    paint
}

#[cfg(test)]
mod tests {
    use jampin_core::attachment::Label;
    use jampin_core::scene::Measure;

    use super::*;

    fn painter() -> Painter {
        let art = Art::Label(Box::new(Label::named("Guard").art("")));
        Painter::new(&Typesetter::default(), [&art].into_iter(), &Pictures::new(), Size::new(640, 360)).unwrap()
    }

    fn layers(painter: &Painter, drawable: Drawable) -> Vec<Layer> {
        painter.layers(&[drawable], Behind::default()).collect()
    }

    fn artwork(x: f64, y: f64) -> Drawable {
        drawable(Primitive::Artwork { art: 0, matrix: [1.0, 0.0, 0.0, 1.0, x, y] }, 1.0)
    }

    fn drawable(primitive: Primitive, opacity: f64) -> Drawable {
        Drawable { primitive, opacity, blend: Blend::Normal, exposures: Vec::new(), luma_gate: None }
    }

    #[test]
    fn a_layer_is_as_large_as_the_label_and_at_its_place() {
        let layers = layers(&painter(), artwork(100.25, 50.5));
        let layer = &layers[0];
        assert_eq!((layer.left, layer.top), (99, 49));
        let size = Typesetter::default().measure(&Label::named("Guard").art(""));
        assert!((f64::from(layer.pixels.width()) - size.0).abs() < 4.0);
        let middle = layer.pixels.pixel(5, layer.pixels.height() / 2).unwrap();
        assert!(middle.alpha() > 150, "the box covers: {middle:?}");
    }

    #[test]
    fn what_is_outside_is_cut_or_left_out() {
        let painter = painter();
        assert!(layers(&painter, artwork(700.0, 50.0)).is_empty());
        let cut = layers(&painter, artwork(-30.0, 350.0));
        assert_eq!((cut[0].left, cut[0].top + cut[0].pixels.height() as i32), (0, 360));
        let line = Primitive::Line {
            from: Point::new(-1e9, 10.0),
            to: Point::new(30.0, 10.0),
            width: 2.0,
            colour: "#ff0000".into(),
        };
        let line = layers(&painter, drawable(line, 1.0));
        assert!(line[0].pixels.width() <= 640);
    }

    #[test]
    fn a_line_has_its_colour() {
        let shape = Primitive::Line {
            from: Point::new(10.0, 20.0),
            to: Point::new(60.0, 20.0),
            width: 4.0,
            colour: "#e69f00".into(),
        };
        let layers = layers(&painter(), drawable(shape, 0.5));
        let (layer, x, y) = (&layers[0], 30 - layers[0].left, 20 - layers[0].top);
        let pixel = layer.pixels.pixel(x as u32, y as u32).unwrap();
        assert_eq!((pixel.red(), pixel.green(), pixel.blue(), pixel.alpha()), (0xe6, 0x9f, 0, 255));
        assert_eq!(layer.opacity, 0.5);
    }

    #[test]
    fn blur_from_motion_spreads_the_light_along_the_way() {
        let shape = Primitive::Line {
            from: Point::new(100.0, 50.0),
            to: Point::new(100.0, 80.0),
            width: 4.0,
            colour: "#ffffff".into(),
        };
        let sharp = layers(&painter(), drawable(shape.clone(), 1.0)).swap_remove(0);
        let exposures = [-6.0, -2.0, 2.0, 6.0].map(|x| Point::new(x, 0.0)).to_vec();
        let blurred = layers(&painter(), Drawable { exposures, ..drawable(shape, 1.0) }).swap_remove(0);
        let row = |layer: &Layer| -> Vec<u32> {
            let y = (65 - layer.top) as u32;
            (0..layer.pixels.width()).map(|x| u32::from(layer.pixels.pixel(x, y).unwrap().alpha())).collect()
        };
        let (sharp, blurred) = (row(&sharp), row(&blurred));
        assert!(sharp.iter().sum::<u32>().abs_diff(blurred.iter().sum()) <= 16, "{sharp:?} {blurred:?}");
        assert_eq!(sharp.iter().max(), Some(&255));
        assert_eq!(blurred.iter().filter(|alpha| **alpha == 64).count(), 16, "four times as wide, a quarter as strong");
    }

    #[test]
    fn a_picture_that_hangs_twice_is_decoded_once() {
        let id = Uuid::from_u128(1);
        let art = Art::Picture(id, [40, 20]);
        let svg =
            b"<svg xmlns='http://www.w3.org/2000/svg' width='40' height='20'><rect width='40' height='20'/></svg>";
        let pictures = Pictures::from([(id, svg.to_vec())]);
        let made =
            Painter::new(&Typesetter::default(), [&art, &art].into_iter(), &pictures, Size::new(64, 64)).unwrap();
        match made.artwork.as_slice() {
            [Drawn::Picture(one), Drawn::Picture(other)] => assert!(Arc::ptr_eq(one, other)),
            other => panic!("{other:?}"),
        }
    }
}
