//! What is painted on a frame.

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::speck::Speck;
use crate::attachment::{Blend, Brightness, ColourKey, CoverEffect, FlarePart, LabelArt};
use crate::geometry::{Homography, Point, Rect};
use crate::time::Frame;

/// Artwork in triangles, each under an affine map of its own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BentPiece {
    /// Which artwork: index into the scene's list.
    pub art: usize,
    /// Which frame, of a film clip.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub frame: Option<Frame>,
    /// The corners of the triangles, in pixels of the artwork: also beyond it.
    pub own: Vec<Point>,
    /// Where each is seen, in the film's picture.
    pub seen: Vec<Point>,
    /// Three corners each. Where they overlap, the later is in front.
    pub triangles: Vec<[usize; 3]>,
}

/// Something to paint on one frame, in picture coordinates.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Drawable {
    /// What to paint.
    #[serde(rename = "shape")]
    pub primitive: Primitive,
    /// Share of the light that it covers, 0 to 1.
    pub opacity: f64,
    /// How it is blended in.
    #[serde(default)]
    pub blend: Blend,
    /// It is the mean of itself moved by each of these, in pixels: blur from motion. None for a sharp one.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub exposures: Vec<Point>,
    /// It fades where the film's picture is dark.
    #[serde(default, rename = "lit", skip_serializing_if = "Option::is_none")]
    pub luma_gate: Option<LumaGate>,
}

/// A place of the film's picture that has to be bright.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct LumaGate {
    /// The place.
    pub at: Point,
    /// The luma, 0 to 1, at which half is left.
    pub threshold: f64,
}

impl LumaGate {
    /// The mean luma of so many pixels to each side of the place counts.
    pub const REACH: i32 = 4;
    /// Over how much luma it fades.
    const SOFTNESS: f64 = 0.2;

    /// What is left at a luma of the place.
    pub fn share(&self, luma: f64) -> f64 {
        ((luma - self.threshold) / Self::SOFTNESS + 0.5).clamp(0.0, 1.0)
    }
}

impl Drawable {
    /// Whether the film's own picture is needed to paint it.
    pub fn needs_picture(&self) -> bool {
        self.luma_gate.is_some() || matches!(self.primitive, Primitive::Cover { .. } | Primitive::Foreground { .. })
    }

    /// The shape in each of its exposures.
    pub fn exposed(&self) -> Vec<Primitive> {
        self.exposures.iter().map(|at| self.primitive.clone().mapped(&Homography::shift(*at))).collect()
    }
}

/// Pixels of a way for each exposure, and the most of them: more would not be seen.
const PIXELS_AN_EXPOSURE: f64 = 2.0;
const MOST_EXPOSURES: f64 = 12.0;

/// Even steps on a way that is gone while the shutter is open, from before the middle to after it.
pub(super) fn exposures(way: Point) -> Vec<Point> {
    let count = (way.length() / PIXELS_AN_EXPOSURE).ceil().clamp(1.0, MOST_EXPOSURES);
    (0..count as u32).map(|i| way * ((f64::from(i) + 0.5) / count - 0.5)).collect()
}

/// What a drawable consists of.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "shape", rename_all = "snake_case")]
pub enum Primitive {
    /// Finished artwork under an affine map.
    Artwork {
        /// Which artwork: index into the scene's list.
        art: usize,
        /// `a b c d e f` as in SVG: `x' = a x + c y + e`, `y' = b x + d y + f`, from artwork to picture.
        matrix: [f64; 6],
    },
    /// Finished artwork under a map that keeps straight lines straight: in perspective.
    Flat {
        /// Which artwork: index into the scene's list.
        art: usize,
        /// From artwork to picture, row by row.
        matrix: [[f64; 3]; 3],
    },
    /// A frame of a film clip, laid as [`Self::Flat`].
    ClipFrame {
        /// Which clip: index into the scene's list of artwork.
        art: usize,
        /// Which of its frames.
        frame: Frame,
        /// From the clip's picture to the film's, row by row.
        matrix: [[f64; 3]; 3],
    },
    /// Finished artwork, or a frame of a film clip, on a surface that bends: in triangles.
    Bent(BentPiece),
    /// A straight line.
    Line {
        /// One end.
        from: Point,
        /// The other end.
        to: Point,
        /// Width, in pixels.
        width: f64,
        /// Colour as `#rrggbb`.
        colour: String,
    },
    /// Lines through several points each.
    Stroke {
        /// The points of each line.
        lines: Vec<Vec<Point>>,
        /// Whether the only line ends where it begins.
        closed: bool,
        /// Width, in pixels.
        width: f64,
        /// Colour as `#rrggbb`.
        colour: String,
        /// Round ends; else cut off square. Corners are always round.
        round: bool,
        /// Standard deviation of a Gaussian blur, in pixels.
        blur: f64,
    },
    /// What lies in any of these polygons, all of which turn the same way.
    Area {
        /// The corners of each polygon.
        rings: Vec<Vec<Point>>,
        /// Colour as `#rrggbb`.
        colour: String,
        /// Standard deviation of a Gaussian blur, in pixels.
        blur: f64,
    },
    /// Many small bits of one colour.
    Specks {
        /// Where they are.
        specks: Vec<Speck>,
        /// Colour as `#rrggbb`.
        colour: String,
        /// Standard deviation of a Gaussian blur, in pixels.
        blur: f64,
    },
    /// The film's own picture, changed, within polygons.
    Cover {
        /// The corners of each polygon.
        rings: Vec<Vec<Point>>,
        /// A mosaic's squares are counted from here, rounded to a pixel.
        middle: Point,
        /// Softness of the edge: standard deviation in pixels.
        feather: f64,
        /// Everything but the polygons.
        inside_out: bool,
        /// What is done to the picture.
        effect: CoverEffect,
    },
    /// The film's own picture, over what was painted before.
    #[serde(rename = "front")]
    Foreground {
        /// The corners of each polygon; none for the whole picture.
        rings: Vec<Vec<Point>>,
        /// Softness of the edge: standard deviation in pixels.
        feather: f64,
        /// Only what has this brightness.
        brightness: Option<Brightness>,
    },
}

impl Primitive {
    /// The same, moved by a map without perspective.
    pub(super) fn mapped(self, map: &Homography) -> Self {
        let scale = map.warp().scale();
        let every = |lines: Vec<Vec<Point>>| -> Vec<Vec<Point>> {
            lines.into_iter().map(|line| line.into_iter().map(|point| map.apply(point)).collect()).collect()
        };
        match self {
            Self::Artwork { art, matrix } => Self::Artwork { art, matrix: affine(&map.after(&homography(matrix))) },
            Self::Flat { art, matrix } => Self::Flat { art, matrix: *map.after(&Homography::new(matrix)).rows() },
            Self::ClipFrame { art, frame, matrix } => {
                Self::ClipFrame { art, frame, matrix: *map.after(&Homography::new(matrix)).rows() }
            }
            Self::Bent(piece) => {
                let seen = piece.seen.iter().map(|corner| map.apply(*corner)).collect();
                Self::Bent(BentPiece { seen, ..piece })
            }
            Self::Line { from, to, width, colour } => {
                Self::Line { from: map.apply(from), to: map.apply(to), width: width * scale, colour }
            }
            Self::Stroke { lines, closed, width, colour, round, blur } => {
                Self::Stroke { lines: every(lines), closed, width: width * scale, colour, round, blur: blur * scale }
            }
            Self::Area { rings, colour, blur } => Self::Area { rings: every(rings), colour, blur: blur * scale },
            Self::Specks { specks, colour, blur } => {
                let specks = specks.iter().map(|speck| speck.mapped(map)).collect();
                Self::Specks { specks, colour, blur: blur * scale }
            }
            Self::Cover { rings, middle, feather, inside_out, effect } => {
                let (middle, feather) = (map.apply(middle), feather * scale);
                Self::Cover { rings: every(rings), middle, feather, inside_out, effect }
            }
            Self::Foreground { rings, feather, brightness } => {
                Self::Foreground { rings: every(rings), feather: feather * scale, brightness }
            }
        }
    }

    /// The upright box round it, given the artwork's sizes; blur and the width of lines are left out.
    pub(super) fn bounds(&self, sizes: &[(f64, f64)]) -> Option<Rect> {
        let corners = |map: &Homography, art: usize| -> Vec<Point> {
            let (width, height) = sizes.get(art).copied().unwrap_or_default();
            [(0.0, 0.0), (width, 0.0), (width, height), (0.0, height)].map(|(x, y)| map.apply(Point::new(x, y))).into()
        };
        match self {
            Self::Artwork { art, matrix } => Rect::around_all(&corners(&homography(*matrix), *art)),
            Self::Flat { art, matrix } | Self::ClipFrame { art, matrix, .. } => {
                Rect::around_all(&corners(&Homography::new(*matrix), *art))
            }
            Self::Bent(piece) => Rect::around_all(&piece.seen),
            Self::Line { from, to, .. } => Rect::around_all(&[*from, *to]),
            Self::Stroke { lines, .. } => Rect::around_all(&lines.concat()),
            Self::Specks { specks, .. } => Rect::around_all(
                &specks.iter().flat_map(|speck| [speck.at - speck.along, speck.at + speck.along]).collect::<Vec<_>>(),
            ),
            Self::Area { rings, .. } | Self::Cover { rings, .. } | Self::Foreground { rings, .. } => {
                Rect::around_all(&rings.concat())
            }
        }
    }
}

fn homography([a, b, c, d, e, f]: [f64; 6]) -> Homography {
    Homography::new([[a, c, e], [b, d, f], [0.0, 0.0, 1.0]])
}

/// As SVG writes it: `a b c d e f`.
pub(super) fn affine(map: &Homography) -> [f64; 6] {
    let [[a, c, e], [b, d, f], _] = *map.rows();
    [a, b, c, d, e, f]
}

/// Artwork that drawables name by index.
#[derive(Clone, Debug, PartialEq)]
pub enum Art {
    /// A text in its box.
    Label(Box<LabelArt>),
    /// A piece of a flare.
    Flare(FlarePart),
    /// One of the project's pictures, with its own width and height in pixels.
    Picture(Uuid, [u32; 2]),
    /// The frames of a film clip.
    Clip(ClipArt),
}

/// A film clip whose frames are laid into others.
#[derive(Clone, Debug, PartialEq)]
pub struct ClipArt {
    /// Which of the project's clips.
    pub clip: Uuid,
    /// Its own width and height, in pixels.
    pub pixels: [u32; 2],
    /// How many frames it has.
    pub frames: u32,
    /// Whether it has transparency of its own.
    pub alpha: bool,
    /// The background that is taken out.
    pub key: Option<ColourKey>,
}
