//! A place for a label that hides neither the subject nor leaves the picture.

use crate::geometry::{Point, Rect, Size};
use crate::path::Path;

/// Room between the pattern of the pin and the label, as a share of the picture's shorter side: a pin on a person's
/// chest leaves the face free.
const CLEARANCE: f64 = 0.1;
/// Pixels outside the picture weigh this much more than a worse-liked direction; the directions differ by up to 8.
const OVERHANG_WEIGHT: f64 = 4.0;
/// At most this many frames are looked at: a label's place does not hinge on each one.
const FRAMES_LOOKED_AT: usize = 200;

/// Directions from the subject to the middle of the label, best liked first. Above right is where a caption covers the
/// least of a person or a vehicle, and ground and shadows below are seldom free.
const DIRECTIONS: [(f64, f64); 8] =
    [(0.7, -1.0), (-0.7, -1.0), (0.0, -1.0), (1.0, -0.35), (-1.0, -0.35), (0.7, 1.0), (-0.7, 1.0), (0.0, 1.0)];

/// Offset from the subject to the middle of a label of this size.
pub(super) fn suggest(path: &Path, size: (f64, f64), pattern: [u32; 2], picture: Size) -> Point {
    let places: Vec<Point> = path.iter().map(|(_, at)| at).collect();
    let step = places.len().div_ceil(FRAMES_LOOKED_AT).max(1);
    let clearance = CLEARANCE * f64::from(picture.width.min(picture.height));
    let reach = Point::new(
        size.0 / 2.0 + clearance + f64::from(pattern[0]) / 2.0,
        size.1 / 2.0 + clearance + f64::from(pattern[1]) / 2.0,
    );
    let offset = |(across, down): (f64, f64)| Point::new(across * reach.x, down * reach.y);
    let cost = |rank: usize, offset: Point| {
        let looked_at = places.iter().step_by(step);
        let count = looked_at.len().max(1) as f64;
        let outside: f64 = looked_at.map(|&at| Rect::centred(at + offset, size.0, size.1).overhang(picture)).sum();
        OVERHANG_WEIGHT * outside / count + rank as f64
    };
    let ranked = DIRECTIONS.iter().enumerate().map(|(rank, &direction)| (rank, offset(direction)));
    let best = ranked.min_by(|a, b| cost(a.0, a.1).total_cmp(&cost(b.0, b.1)));
    best.map_or(Point::default(), |(_, offset)| offset)
}
