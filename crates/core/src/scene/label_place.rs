//! A place for a label that hides neither the subject nor leaves the picture.

use crate::geometry::{Point, Rect, Size};
use crate::path::Path;
use crate::pin::Pin;
use crate::time::Frame;

/// Room between the pattern of the pin and the label, as a share of the picture's shorter side, where it is not known
/// how large the thing is: a pin on a person's chest leaves the face free.
const CLEARANCE: f64 = 0.1;
/// And between the outline of the person or vehicle and the label.
const CLEARANCE_OF_FIGURE: f64 = 0.02;
/// The label over all of somebody else, on all frames, weighs this much more than a worse-liked direction.
const COVERS_WEIGHT: f64 = 40.0;
/// Pixels outside the picture weigh this much more than a worse-liked direction; the directions differ by up to 8.
const OVERHANG_WEIGHT: f64 = 4.0;
/// At most this many frames are looked at: a label's place does not hinge on each one.
const FRAMES_LOOKED_AT: usize = 200;

/// Directions from the subject to the middle of the label, best liked first. Above right is where a caption covers the
/// least of a person or a vehicle, and ground and shadows below are seldom free.
const DIRECTIONS: [(f64, f64); 8] =
    [(0.7, -1.0), (-0.7, -1.0), (0.0, -1.0), (1.0, -0.35), (-1.0, -0.35), (0.7, 1.0), (-0.7, 1.0), (0.0, 1.0)];

/// What must not be hidden: where a subject is, and the upright box round it, from there.
pub(super) struct Standing<'a> {
    pub path: &'a Path,
    pub body: Rect,
}

impl<'a> Standing<'a> {
    /// Of the pin that leads it; with room round a pattern of which nobody knows what it belongs to.
    pub fn new(path: &'a Path, pin: Option<&Pin>, picture: Size) -> Self {
        let shorter = f64::from(picture.width.min(picture.height));
        let figure = pin.and_then(|pin| pin.figure);
        let pattern = pin.map_or([31, 31], |pin| pin.pattern).map(f64::from);
        let body = figure.unwrap_or(Rect::centred(Point::default(), pattern[0], pattern[1]));
        let room = shorter * if figure.is_some() { CLEARANCE_OF_FIGURE } else { CLEARANCE };
        Self { path, body: body.widened(room) }
    }

    fn at(&self, frame: Frame) -> Option<Rect> {
        self.path.position(frame).map(|at| self.body.moved(at))
    }
}

/// Offset from the subject to the middle of a label of this size, so that it hides neither the subject nor `others` nor
/// leaves the picture.
pub(super) fn suggest(own: &Standing<'_>, others: &[Standing<'_>], size: (f64, f64), picture: Size) -> Point {
    let places: Vec<(Frame, Point)> = own.path.iter().collect();
    let step = places.len().div_ceil(FRAMES_LOOKED_AT).max(1);
    let offset = |(across, down): (f64, f64)| {
        let reach = |towards: f64, before: f64, after: f64, side: f64| {
            towards * (side / 2.0 + if towards < 0.0 { -before } else { after })
        };
        let Rect { left, top, right, bottom } = own.body;
        Point::new(reach(across, left, right, size.0), reach(down, top, bottom, size.1))
    };
    let cost = |rank: usize, offset: Point| {
        let looked_at = places.iter().step_by(step);
        let count = looked_at.len().max(1) as f64;
        let label = |at: Point| Rect::centred(at + offset, size.0, size.1);
        let outside: f64 = looked_at.clone().map(|(_, at)| label(*at).overhang(picture)).sum();
        let covers = |(frame, at): &(Frame, Point)| {
            let hidden = |other: &Standing<'_>| other.at(*frame).map_or(0.0, |body| label(*at).share_of(body));
            others.iter().map(hidden).fold(0.0, f64::max)
        };
        let covered: f64 = looked_at.map(covers).sum();
        (OVERHANG_WEIGHT * outside + COVERS_WEIGHT * covered) / count + rank as f64
    };
    let ranked = DIRECTIONS.iter().enumerate().map(|(rank, &direction)| (rank, offset(direction)));
    let best = ranked.min_by(|a, b| cost(a.0, a.1).total_cmp(&cost(b.0, b.1)));
    best.map_or(Point::default(), |(_, offset)| offset)
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::*;
    use crate::path::{Recipe, clean};
    use crate::track::{Sample, Track};

    const PICTURE: Size = Size { width: 1280, height: 720 };

    fn path(x: f64) -> Path {
        let still: Track = (0..50).map(|n| (Frame(n), Sample::guide(Point::new(x, 400.0)))).collect();
        clean(&still, &Recipe::default())
    }

    #[test]
    fn a_label_lies_on_nobodys_head() {
        let mut pin = Pin::new(Uuid::nil(), Frame(0), Point::new(600.0, 400.0), [31, 31], [40, 40]);
        // On the sleeve of a person whose cap is 150 pixels above.
        pin.figure = Some(Rect { left: -60.0, top: -150.0, right: 20.0, bottom: 210.0 });
        let (own, beside) = (path(600.0), path(720.0));
        let lies = |others: &[Standing<'_>]| {
            let offset = suggest(&Standing::new(&own, Some(&pin), PICTURE), others, (180.0, 46.0), PICTURE);
            Rect::centred(Point::new(600.0, 400.0) + offset, 180.0, 46.0)
        };
        let alone = lies(&[]);
        assert!(alone.bottom <= 250.0 && alone.left > 540.0, "above right, clear of the cap: {alone:?}");
        // Somebody as tall stands to the right of it: the label goes to the other side.
        let other = Standing { path: &beside, body: Rect { left: -60.0, top: -260.0, right: 60.0, bottom: 200.0 } };
        let two = lies(&[other]);
        assert!(two.bottom <= 250.0 && two.right < 660.0, "{two:?}");
    }
}
