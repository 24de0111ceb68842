//! What lies closest round a place, to tell whether it is the same on another frame.

use super::neighbourhood::{Neighbourhood, samples};
use crate::geometry::{PixelRect, Point};
use crate::image::Window;
use crate::matching::Template;

/// Samples across, from the middle to each side: of the smaller and of the larger part that is compared, ...
const NEAREST: i32 = 3;
const NEAR: i32 = 5;
/// ... and how far it may lie beside, as places are only roughly known.
const BESIDE: i32 = 2;
const ACROSS: usize = 2 * (NEAR + BESIDE) as usize + 1;
/// A pattern is so many samples wide.
const PATTERN: f64 = 21.0;
/// Correlation from which it is the same. Of the places on filmed people and vehicles that are known roughly, and right,
/// one in two hundred is below in both parts beside all frames around; where something lies on them, a third are.
const ALIKE: f32 = 0.8;
/// Standard deviation in grey levels below which there is grain and little else.
const PLAIN: f32 = 3.0;

/// What lies closest round a place, in steps that grow with the subject.
#[derive(Clone, Debug)]
pub struct Closeup {
    samples: Vec<f32>,
}

impl Closeup {
    /// Pixels that a spot is made of; `pattern` is the side of the pattern there, in pixels.
    pub fn rect(at: Point, pattern: f64) -> PixelRect {
        around(at, pattern).rect()
    }

    /// What is seen round a place in these pixels.
    pub fn new(window: &Window, at: Point, pattern: f64) -> Self {
        Self { samples: samples(window, &around(at, pattern), ACROSS) }
    }

    /// Whether both show the same, in their nearest part or in more of it, whatever the light. Nobody can tell two plain
    /// ones apart.
    pub fn is_like(&self, other: &Self) -> bool {
        let beside = || (-BESIDE..=BESIDE).flat_map(|dy| (-BESIDE..=BESIDE).map(move |dx| (dx, dy)));
        let score = |own: &Template, half, shift| own.score(&other.samples, first(half, shift), ACROSS);
        [NEAREST, NEAR].into_iter().any(|half| match self.part(half) {
            Some(own) => beside().any(|shift| score(&own, half, shift).is_some_and(|score| score >= ALIKE)),
            None => other.part(half).is_none(),
        })
    }

    /// The part in the middle; `None` when it is plain.
    fn part(&self, half: i32) -> Option<Template> {
        let across = 2 * half as usize + 1;
        let rows = self.samples[first(half, (0, 0))..].chunks(ACROSS).take(across);
        let values: Vec<f32> = rows.flat_map(|row| &row[..across]).copied().collect();
        (deviation(&values) >= PLAIN).then(|| Template::new(values, across, across)).flatten()
    }
}

/// Index of the first sample of a part that lies so far beside the middle.
fn first(half: i32, (dx, dy): (i32, i32)) -> usize {
    let corner = |shift: i32| (NEAR + BESIDE - half + shift) as usize;
    corner(dy) * ACROSS + corner(dx)
}

fn around(middle: Point, pattern: f64) -> Neighbourhood {
    Neighbourhood { middle, side: ACROSS as f64 * pattern / PATTERN }
}

fn deviation(values: &[f32]) -> f32 {
    let count = values.len() as f32;
    let mean = values.iter().sum::<f32>() / count;
    (values.iter().map(|value| (value - mean).powi(2)).sum::<f32>() / count).sqrt()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Size;
    use crate::image::Plane;

    const SIZE: Size = Size::new(60, 60);
    const MIDDLE: Point = Point::new(30.0, 30.0);

    /// Waves about a place, of a contrast, in a light.
    fn spot(at: Point, (contrast, light): (f64, f64), bar: Option<f64>) -> Closeup {
        let plane = Plane::from_fn(SIZE, |col, row| {
            let (x, y) = (f64::from(col) + 0.5 - at.x, f64::from(row) + 0.5 - at.y);
            let is_bar = bar.is_some_and(|half| x.abs() < half);
            let value = if is_bar { (y / 2.3).cos() } else { (x / 2.0).sin() + (y / 3.1 + x / 5.0).cos() };
            (light + contrast * value) as u8
        });
        Closeup::new(&plane.window(Closeup::rect(MIDDLE, PATTERN)), MIDDLE, PATTERN)
    }

    #[test]
    fn it_is_the_same_in_other_light_and_a_little_beside_but_not_under_a_bar() {
        let own = spot(MIDDLE, (30.0, 120.0), None);
        assert!(own.is_like(&spot(MIDDLE + Point::new(1.6, -1.2), (12.0, 180.0), None)));
        assert!(!own.is_like(&spot(MIDDLE, (30.0, 120.0), Some(8.0))));
        assert!(own.is_like(&spot(MIDDLE, (30.0, 120.0), Some(0.5))), "a hair before it");
    }

    #[test]
    fn nobody_tells_two_plain_ones_apart_but_a_plain_one_from_another() {
        let plain = |light| spot(MIDDLE, (0.8, light), None);
        assert!(plain(90.0).is_like(&spot(MIDDLE + Point::new(0.0, 9.0), (0.8, 140.0), Some(9.0))));
        assert!(!plain(90.0).is_like(&spot(MIDDLE, (30.0, 120.0), None)));
    }
}
