//! What lies on a surface that bends: laid on one frame, carried by the knots of the net to every other.

use super::drawable::{BentPiece, Primitive};
use super::item_context::ItemContext;
use crate::attachment::LyingFace;
use crate::geometry::{Homography, Point};
use crate::time::Frame;

/// Artwork of a size, under a map to the picture of the frame on which its face was seen. `None` where the surface is flat,
/// or not known on either frame: then it lies as on a flat face.
pub(super) fn bent(
    (art, size, shown): (usize, (f64, f64), Option<Frame>),
    (face, laid): (&LyingFace, &Homography),
    item: &ItemContext,
    frame: Frame,
) -> Option<Primitive> {
    let net = item.poses.net(face.bends?)?;
    let (before, now) = (net.on(face.since)?, net.on(frame)?);
    let back = laid.inverse()?;
    let own: Vec<Point> = before.iter().map(|knot| back.apply(*knot)).collect();
    let kept: Vec<[usize; 3]> =
        net.net.triangles.iter().copied().filter(|corners| touches(&corners.map(|knot| own[knot]), size)).collect();
    let mut numbers = vec![None; own.len()];
    let mut piece = BentPiece { art, frame: shown, own: Vec::new(), seen: Vec::new(), triangles: Vec::new() };
    for corners in kept {
        let corners = corners.map(|knot| {
            *numbers[knot].get_or_insert_with(|| {
                piece.own.push(own[knot]);
                piece.seen.push(now[knot]);
                piece.own.len() - 1
            })
        });
        piece.triangles.push(corners);
    }
    (!piece.triangles.is_empty()).then_some(Primitive::Bent(piece))
}

/// Whether the box round a triangle has a part of the artwork.
fn touches(corners: &[Point; 3], (width, height): (f64, f64)) -> bool {
    let span = |of: fn(&Point) -> f64| {
        let values = corners.each_ref().map(of);
        (values.iter().copied().fold(f64::INFINITY, f64::min), values.iter().copied().fold(f64::NEG_INFINITY, f64::max))
    };
    let ((left, right), (top, bottom)) = (span(|at| at.x), span(|at| at.y));
    left < width && right > 0.0 && top < height && bottom > 0.0
}
