//! The outline of what stands before the empty scene.

use std::collections::VecDeque;

use super::Window;
use super::plate::Plate;
use crate::geometry::{Point, Rect};

/// Grey levels from which a small pixel is not the empty scene's: less takes shadows and what coding changes, more
/// loses a dark coat before a dark wall.
const DIFFERENT: f32 = 18.0;
/// Small pixels round the place among which one of the figure is looked for: a pin may sit on its edge.
const NEAR: i64 = 2;
/// Small pixels that are apart by so many still touch: where a coat is as dark as the wall behind it a person would
/// fall into pieces. More joins people who stand near each other.
const REACH: i64 = 2;
/// Fewer small pixels are no figure: coding leaves that much.
const LEAST: usize = 6;

impl Plate {
    /// The upright box round what stands at a place before the empty scene, in pixels from the place. `None` where
    /// nothing does, as on what belongs to the scene, or where it fills the window: then it is not known how large it
    /// is.
    ///
    /// All small pixels that differ and touch each other, from the place on (a flood fill over neighbours up to [`REACH`] away).
    pub fn figure(&self, window: &Window, at: Point) -> Option<Rect> {
        let offset = self.light(window)?;
        let cell = f64::from(self.cell);
        let is_figure = |(col, row): (i64, i64)| {
            let (col, row) = (usize::try_from(col).ok()?, usize::try_from(row).ok()?);
            let inside = col < self.width && row < self.height;
            inside.then(|| self.off(window, col, row)).flatten().map(|off| (off - offset).abs() > DIFFERENT)
        };
        let middle = ((at.x / cell).floor() as i64, (at.y / cell).floor() as i64);
        let near = (-NEAR..=NEAR).flat_map(|down| (-NEAR..=NEAR).map(move |across| (across, down)));
        let near = near.map(|(across, down)| (middle.0 + across, middle.1 + down));
        let begin = near.filter(|small| is_figure(*small) == Some(true));
        let first = begin.min_by_key(|(col, row)| (col - middle.0).abs() + (row - middle.1).abs())?;
        let (mut left, mut top, mut right, mut bottom) = (first.0, first.1, first.0, first.1);
        let mut seen = std::collections::HashSet::from([first]);
        let mut waiting = VecDeque::from([first]);
        while let Some((col, row)) = waiting.pop_front() {
            (left, top, right, bottom) = (left.min(col), top.min(row), right.max(col), bottom.max(row));
            let around = (-REACH..=REACH).flat_map(|down| (-REACH..=REACH).map(move |across| (across, down)));
            for other in around.map(|(across, down)| (col + across, row + down)) {
                if !seen.contains(&other) && is_figure(other) == Some(true) {
                    seen.insert(other);
                    waiting.push_back(other);
                }
            }
        }
        let size = window.plane.size();
        let fills = f64::from(size.width) < (right - left + 3) as f64 * cell
            || f64::from(size.height) < (bottom - top + 3) as f64 * cell;
        if seen.len() < LEAST || fills {
            return None;
        }
        let edge = |small: i64, at: f64| small as f64 * cell - at;
        Some(Rect {
            left: edge(left, at.x).min(0.0),
            top: edge(top, at.y).min(0.0),
            right: edge(right + 1, at.x).max(0.0),
            bottom: edge(bottom + 1, at.y).max(0.0),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::{PixelRect, Size};
    use crate::image::Plane;
    use crate::image::small::SmallCopy;

    const SIZE: Size = Size { width: 320, height: 240 };

    #[test]
    fn a_person_before_a_wall_is_outlined_from_cap_to_shoes() {
        let wall = |col: u32, row: u32| (90 + (col * 7 + row * 13) % 40) as u8;
        let empty = SmallCopy::of(&Plane::from_fn(SIZE, wall), 4);
        let plate = Plate::of(&[&empty, &empty, &empty], 4);
        // From 120 to 151 across and 60 to 195 down, darker than any of the wall; a second one far to the right.
        let stands = |col: u32, row: u32| (60..196).contains(&row) && ((120..152).contains(&col) || col > 260);
        let film = Plane::from_fn(SIZE, |col, row| if stands(col, row) { 20 } else { wall(col, row) });
        let whole = film.window(PixelRect { left: 0, top: 0, right: 320, bottom: 240 });
        let sleeve = Point::new(146.0, 110.0);
        assert_eq!(plate.figure(&whole, sleeve), Some(Rect { left: -26.0, top: -50.0, right: 6.0, bottom: 86.0 }));
        // On the wall nothing stands, and who fills all that is seen has no known size.
        assert_eq!(plate.figure(&whole, Point::new(60.0, 110.0)), None);
        let close = film.window(PixelRect { left: 100, top: 80, right: 170, bottom: 140 });
        assert_eq!(plate.figure(&close, sleeve), None);
    }
}
