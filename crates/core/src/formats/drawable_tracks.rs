//! Drawables followed from frame to frame: what is painted of an attachment, piece by piece over the whole shot.

use std::collections::BTreeMap;

use uuid::Uuid;

use crate::geometry::{Homography, Point};
use crate::scene::{Drawable, Primitive, Scene};
use crate::time::FrameRange;

/// A finished piece of artwork, as a file needs it.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct DrawnArt {
    /// Width in pixels.
    pub width: f64,
    /// Height in pixels.
    pub height: f64,
    /// What is inside of its standalone SVG.
    pub svg: String,
    /// The same as filled outlines, from back to front; none where it is no such thing.
    pub outlines: Vec<Outlined>,
    /// The same as a `data:` address of a picture, for who cannot draw it otherwise.
    pub image: String,
}

/// A filled or stroked outline.
#[derive(Clone, Debug, PartialEq)]
pub struct Outlined {
    /// Its contours.
    pub contours: Vec<Contour>,
    /// Red, green, blue and coverage, 0 to 1.
    pub colour: [f64; 4],
    /// Width of the stroke; `None` for a fill.
    pub stroke: Option<f64>,
}

/// Cubic Bézier pieces from corner to corner.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Contour {
    /// For each corner: where it is, and the handles before and after it, counted from it.
    pub corners: Vec<[Point; 3]>,
    /// Whether the last is joined to the first.
    pub closed: bool,
}

/// One piece of an attachment over the shot.
#[derive(Clone, Debug)]
pub(super) struct DrawableTrack {
    /// What it is on each frame of the range; `None` where it is not there.
    pub frames: Vec<Option<Drawable>>,
}

/// What never changes within a piece: its kind, its artwork, and the numbers by which it is drawn, as their bits.
type Kind = (u8, usize, [u64; 2]);
/// Which piece: the place of its attachment in the order, its kind, and its number among those of that kind.
type PieceKey = (usize, Kind, usize);

/// The pieces of a scene, from back to front.
pub(super) fn drawable_tracks(scene: &Scene, range: FrameRange) -> Vec<DrawableTrack> {
    let mut order: Vec<Uuid> = Vec::new();
    let mut pieces: BTreeMap<PieceKey, (usize, DrawableTrack)> = BTreeMap::new();
    let count = range.count() as usize;
    for (at, frame) in range.frames().enumerate() {
        for (attachment, drawables) in scene.frame_by_attachment(frame) {
            let known = order.iter().position(|one| *one == attachment);
            let rank = known.unwrap_or_else(|| {
                order.push(attachment);
                order.len() - 1
            });
            let mut seen: BTreeMap<Kind, usize> = BTreeMap::new();
            for (place, drawable) in drawables.into_iter().enumerate() {
                let kind = kind(&drawable.primitive);
                let nth = seen.entry(kind).or_default();
                let blank = || (0, DrawableTrack { frames: vec![None; count] });
                let (depth, track) = pieces.entry((rank, kind, *nth)).or_insert_with(blank);
                // Where all of its pieces are there it lies furthest up in the list.
                *depth = place.max(*depth);
                track.frames[at] = Some(drawable);
                *nth += 1;
            }
        }
    }
    let mut sorted: Vec<(usize, usize, DrawableTrack)> =
        pieces.into_iter().map(|((rank, ..), (depth, track))| (rank, depth, track)).collect();
    sorted.sort_by_key(|(rank, depth, _)| (*rank, *depth));
    sorted.into_iter().map(|(.., track)| track).collect()
}

fn kind(shape: &Primitive) -> Kind {
    let (kind, art, numbers) = match shape {
        Primitive::Area { blur, .. } => (0, 0, [*blur, 0.0]),
        Primitive::Line { width, .. } => (1, 0, [*width, 0.0]),
        Primitive::Stroke { width, blur, .. } => (2, 0, [*width, *blur]),
        Primitive::Artwork { art, .. } => (3, *art, [0.0; 2]),
        Primitive::Flat { art, .. } => (4, *art, [0.0; 2]),
        Primitive::Cover { feather, .. } => (5, 0, [*feather, 0.0]),
        Primitive::Foreground { feather, .. } => (6, 0, [*feather, 0.0]),
        Primitive::Specks { blur, .. } => (7, 0, [*blur, 0.0]),
        Primitive::ClipFrame { art, .. } => (8, *art, [0.0; 2]),
        Primitive::Bent(piece) => (9, piece.art, [0.0; 2]),
    };
    (kind, art, numbers.map(f64::to_bits))
}

impl DrawableTrack {
    /// Some frame on which it is there.
    pub fn sample(&self) -> Option<&Drawable> {
        self.frames.iter().flatten().next()
    }

    /// A value on every frame; where it is not there, that of the nearest frame before, else after, on which it is.
    pub fn every<T: Clone>(&self, value: impl Fn(&Drawable) -> T) -> Vec<T> {
        let known: Vec<Option<T>> = self.frames.iter().map(|drawable| drawable.as_ref().map(&value)).collect();
        let Some(first) = known.iter().flatten().next().cloned() else { return Vec::new() };
        known
            .into_iter()
            .scan(first, |last, value| {
                *last = value.unwrap_or_else(|| last.clone());
                Some(last.clone())
            })
            .collect()
    }

    /// Its opacity on every frame; 0 where it is not there.
    pub fn opacities(&self) -> Vec<f64> {
        self.frames.iter().map(|drawable| drawable.as_ref().map_or(0.0, |drawable| drawable.opacity)).collect()
    }
}

/// A map without perspective, as its parts: turned, leaned and sized about the origin, then moved.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct DecomposedTransform {
    pub at: Point,
    /// Degrees, clockwise.
    pub rotation: f64,
    /// Degrees by which what points down leans to the left.
    pub skew: f64,
    pub size: [f64; 2],
}

impl DecomposedTransform {
    /// Of artwork under the map of a drawable; in perspective as the map is in the artwork's middle.
    pub fn of(shape: &Primitive, (width, height): (f64, f64)) -> Option<Self> {
        match shape {
            Primitive::Artwork { matrix, .. } => Some(Self::affine(*matrix)),
            Primitive::Flat { matrix, .. } => {
                let map = Homography::new(*matrix);
                let middle = Point::new(width / 2.0, height / 2.0);
                let at = map.apply(middle);
                let step = |to: Point| (map.apply(middle + to) - map.apply(middle - to)) * 0.5;
                let (across, down) = (step(Point::new(1.0, 0.0)), step(Point::new(0.0, 1.0)));
                let corner = at - across * middle.x - down * middle.y;
                Some(Self::affine([across.x, across.y, down.x, down.y, corner.x, corner.y]))
            }
            _ => None,
        }
    }

    fn affine([a, b, c, d, e, f]: [f64; 6]) -> Self {
        let across = a.hypot(b).max(1e-9);
        let down = (a * d - b * c) / across;
        let shear = (a * c + b * d) / across;
        let skew = if down.abs() < 1e-12 { 0.0 } else { (shear / down).atan().to_degrees() };
        Self { at: Point::new(e, f), rotation: b.atan2(a).to_degrees(), skew, size: [across, down] }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_map_comes_back_from_its_parts() {
        let matrix = [1.2, 0.5, -0.3, 0.9, 40.0, 50.0];
        let laid = DecomposedTransform::of(&Primitive::Artwork { art: 0, matrix }, (10.0, 10.0)).unwrap();
        let (sin, cos) = laid.rotation.to_radians().sin_cos();
        let skew = laid.skew.to_radians().tan();
        // Turn after skew after size.
        let [x, y] = laid.size;
        let back = [cos * x, sin * x, (cos * skew - sin) * y, (sin * skew + cos) * y, laid.at.x, laid.at.y];
        for (got, want) in back.into_iter().zip(matrix) {
            assert!((got - want).abs() < 1e-9, "{back:?}");
        }
    }

    #[test]
    fn perspective_is_right_in_the_middle() {
        let matrix = [[1.0, 0.1, 20.0], [0.0, 1.1, 30.0], [0.001, 0.0005, 1.0]];
        let laid = DecomposedTransform::of(&Primitive::Flat { art: 0, matrix }, (200.0, 100.0)).unwrap();
        let (sin, cos) = laid.rotation.to_radians().sin_cos();
        let (x, y) = (100.0 * laid.size[0], 50.0 * laid.size[1]);
        let x = x + laid.skew.to_radians().tan() * y;
        let middle = laid.at + Point::new(cos * x - sin * y, sin * x + cos * y);
        assert!(middle.distance(Homography::new(matrix).apply(Point::new(100.0, 50.0))) < 1e-6);
    }
}
