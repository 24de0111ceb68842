//! A cover on one frame.

use super::drawable::{Drawable, Primitive};
use super::item_context::ItemContext;
use super::stance::stance;
use crate::attachment::{Cover, CoverShape};
use crate::geometry::{Homography, Point};
use crate::time::Frame;

/// Corners of an ellipse, and of each rounded corner: at these numbers no side is seen.
const ELLIPSE_SIDES: usize = 72;
const CORNER_SIDES: usize = 10;

pub(super) fn drawables(cover: &Cover, item: &ItemContext, frame: Frame) -> Option<Vec<Drawable>> {
    let map: Homography = stance(&item.show.takes, cover.orientation, &item.poses, frame)?;
    let ring = ring(cover).into_iter().map(|corner| map.apply(corner)).collect();
    let primitive = Primitive::Cover {
        rings: vec![ring],
        middle: map.apply(cover.place),
        feather: cover.feather,
        inside_out: cover.inside_out,
        effect: cover.effect.clone(),
    };
    Some(vec![item.drawable(primitive, 1.0)])
}

/// Its corners, counted from the subject.
fn ring(cover: &Cover) -> Vec<Point> {
    let [half_width, half_height] = cover.size.map(|side| side / 2.0);
    let angle = |i: usize, of: usize| std::f64::consts::TAU * i as f64 / of as f64;
    let own: Vec<Point> = match &cover.outline {
        CoverShape::Box => [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)]
            .map(|(x, y)| Point::new(x * half_width, y * half_height))
            .into(),
        CoverShape::Ellipse => (0..ELLIPSE_SIDES)
            .map(|i| angle(i, ELLIPSE_SIDES))
            .map(|angle| Point::new(half_width * angle.cos(), half_height * angle.sin()))
            .collect(),
        CoverShape::Drawn(corners) => {
            corners.iter().map(|corner| Point::new(corner.x * half_width, corner.y * half_height)).collect()
        }
        CoverShape::Rounded => {
            let radius = 0.5 * half_width.min(half_height);
            let middles = [(1.0, 1.0), (-1.0, 1.0), (-1.0, -1.0), (1.0, -1.0)];
            let corner = |(quarter, (x, y)): (usize, (f64, f64))| {
                let middle = Point::new(x * (half_width - radius), y * (half_height - radius));
                (0..=CORNER_SIDES).map(move |i| {
                    let angle = angle(quarter * CORNER_SIDES + i, 4 * CORNER_SIDES);
                    middle + Point::new(angle.cos(), angle.sin()) * radius
                })
            };
            middles.into_iter().enumerate().flat_map(corner).collect()
        }
    };
    let (sin, cos) = cover.rotation.to_radians().sin_cos();
    own.into_iter().map(|p| cover.place + Point::new(cos * p.x - sin * p.y, sin * p.x + cos * p.y)).collect()
}
