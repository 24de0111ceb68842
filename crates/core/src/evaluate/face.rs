//! The face that a subject shows: by its pins and carried points, or by an area of four corners.

use crate::attachment::{Corner, LyingFace};
use crate::document::{Area, Subject};
use crate::geometry::Point;
use crate::motion::Poses;
use crate::time::Frame;

/// The first four pins and carried points that are there on a frame, as corners: from the top left one on, clockwise as
/// the picture shows them.
pub fn face_of_pins(subject: &Subject, poses: &Poses, frame: Frame) -> Option<[Corner; 4]> {
    Some(four_corners(subject, poses, frame)?.map(|(corner, _)| corner))
}

/// The face on which something can lie: an area of the subject that was outlined by four straight corners; else that of
/// its pins and carried points, as they are on `frame`.
pub fn face_to_lie_on(subject: &Subject, poses: &Poses, frame: Frame) -> Option<LyingFace> {
    let of_pins = || {
        let corners = four_corners(subject, poses, frame)?.map(|(_, at)| at);
        Some(LyingFace { corners, since: frame, bends: None })
    };
    // The pins of an area are the box round it, which is no face unless it was outlined so.
    if subject.areas.is_empty() { of_pins() } else { subject.areas.iter().find_map(face_of_area) }
}

/// The face of an area that was outlined by four straight corners; of a surface that bends the box round it, whatever its
/// shape: what lies on it is laid on that frame, and bends from there on.
pub fn face_of_area(area: &Area) -> Option<LyingFace> {
    let outline = &area.drawn.outline;
    let bends = area.bends.map(|_| area.id);
    let four = outline.points.clone().try_into().ok().filter(|_: &[Point; 4]| !outline.curved);
    let four = four.or_else(|| bends.map(|_| area.bounds().corners()))?;
    let corners = clockwise(four.map(|at| (at, at))).map(|(corner, _)| corner);
    Some(LyingFace { corners, since: area.drawn.frame, bends })
}

/// A face that a person has drawn on a frame: on the first of the subject's surfaces that bend, if there is one.
pub fn face_drawn(subject: &Subject, corners: [Point; 4], since: Frame) -> LyingFace {
    let bends = subject.areas.iter().find(|area| area.bends.is_some()).map(|area| area.id);
    LyingFace { corners, since, bends }
}

fn four_corners(subject: &Subject, poses: &Poses, frame: Frame) -> Option<[(Corner, Point); 4]> {
    let pins = subject.pins.iter().filter_map(|pin| Some((Corner::Pin(pin.id), poses.pin(pin.id, frame)?.1)));
    let points = subject.points.iter();
    let points = points.filter_map(|point| Some((Corner::Point(point.id), point.position(poses, frame)?)));
    let four: Vec<(Corner, Point)> = pins.chain(points).take(4).collect();
    four.try_into().ok().map(clockwise)
}

/// From the top left one on, clockwise as the picture shows them.
fn clockwise<T>(mut four: [(T, Point); 4]) -> [(T, Point); 4] {
    let middle = four.iter().fold(Point::default(), |sum, (_, at)| sum + *at) * 0.25;
    // Down is positive, so a growing angle goes clockwise.
    let angle = |at: Point| (at.y - middle.y).atan2(at.x - middle.x);
    four.sort_by(|a, b| angle(a.1).total_cmp(&angle(b.1)));
    let top_left = |at: Point| (at.x - middle.x) + (at.y - middle.y);
    let first = (0..4).min_by(|&a, &b| top_left(four[a].1).total_cmp(&top_left(four[b].1)));
    four.rotate_left(first.unwrap_or(0));
    four
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::*;
    use crate::document::{DrawnOutline, Fineness};

    fn area(corners: &[(f64, f64)]) -> Area {
        let outline = DrawnOutline::straight(corners.iter().map(|&(x, y)| Point::new(x, y)).collect());
        Area::new(Uuid::nil(), Frame(7), outline, [Uuid::nil(); 5])
    }

    #[test]
    fn what_lies_on_cloth_lies_in_the_box_round_it_and_bends() {
        let mut cloth = area(&[(10.0, 20.0), (90.0, 10.0), (12.0, 60.0)]);
        assert_eq!(face_of_area(&cloth), None);
        cloth.bends = Some(Fineness::Medium);
        let face = face_of_area(&cloth).unwrap();
        assert_eq!((face.corners, face.bends), (cloth.bounds().corners(), Some(cloth.id)));
    }

    #[test]
    fn four_corners_are_a_face_however_they_were_clicked() {
        let want = [(10.0, 20.0), (90.0, 10.0), (95.0, 80.0), (12.0, 60.0)];
        for clicked in [[0, 1, 2, 3], [2, 1, 0, 3], [3, 0, 1, 2]] {
            let face = face_of_area(&area(&clicked.map(|i| want[i]))).unwrap();
            assert_eq!((face.corners, face.since), (want.map(|(x, y)| Point::new(x, y)), Frame(7)));
        }
        assert_eq!(face_of_area(&area(&want[..3])), None);
    }
}
