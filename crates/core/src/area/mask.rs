//! Which pixels of a part of a frame are not looked at.

use super::outline::Outline;
use crate::geometry::{PixelRect, Point};

/// A pixel for each of the picture.
pub(crate) struct Mask {
    rect: PixelRect,
    hidden: Vec<bool>,
}

impl Mask {
    /// The inside of any of the outlines within `rect`; `None` where that is nothing.
    pub fn of(outlines: &[Outline], rect: PixelRect) -> Option<Self> {
        if outlines.is_empty() {
            return None;
        }
        let (cols, rows) = ((rect.right - rect.left) as usize, (rect.bottom - rect.top) as usize);
        let mut hidden = vec![false; cols * rows];
        for outline in outlines {
            for (row, line) in hidden.chunks_exact_mut(cols).enumerate() {
                let y = f64::from(rect.top) + row as f64 + 0.5;
                let mut edges = outline.crossings(y);
                edges.sort_by(f64::total_cmp);
                for pair in edges.chunks_exact(2) {
                    let column = |x: f64| ((x - f64::from(rect.left) - 0.5).ceil().max(0.0) as usize).min(cols);
                    line[column(pair[0])..column(pair[1])].fill(true);
                }
            }
        }
        hidden.contains(&true).then_some(Self { rect, hidden })
    }

    /// Whether the pixel at a place of the picture is not looked at.
    pub fn hides(&self, at: Point) -> bool {
        let (x, y) = (at.x.floor() as i32, at.y.floor() as i32);
        let PixelRect { left, top, right, bottom } = self.rect;
        let is_in = (left..right).contains(&x) && (top..bottom).contains(&y);
        is_in && self.hidden[((y - top) * (right - left) + x - left) as usize]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_hides_what_lies_inside_of_an_outline() {
        let outline =
            Outline([(3.2, 2.0), (17.0, 4.5), (11.0, 19.3), (9.0, 8.0)].map(|(x, y)| Point::new(x, y)).into());
        let rect = PixelRect { left: 5, top: -2, right: 30, bottom: 25 };
        let mask = Mask::of(std::slice::from_ref(&outline), rect).unwrap();
        for row in -4..30 {
            for col in -3..33 {
                let at = Point::new(f64::from(col) + 0.5, f64::from(row) + 0.5);
                let is_in = (5..30).contains(&col) && (-2..25).contains(&row);
                assert_eq!(mask.hides(at), is_in && outline.contains(at), "{at:?}");
            }
        }
        assert!(Mask::of(&[], rect).is_none());
        assert!(Mask::of(&[outline], PixelRect { left: 40, top: 0, right: 50, bottom: 9 }).is_none());
    }
}
