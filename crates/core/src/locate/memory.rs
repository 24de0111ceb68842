//! What is remembered of a subject on the way: how strongly it usually responds, pictures of it that were believed.

use std::collections::VecDeque;

use super::channels::GREY;
use super::filter::Filter;
use super::neighbourhood::{Neighbourhood, samples};
use crate::geometry::Point;
use crate::image::Window;
use crate::matching::Template;
use crate::time::Frame;

/// Share of the first response that is taken for usual until more is known.
const FIRST_USUAL: f64 = 0.7;
/// Accepted responses that say what is usual.
const USUAL_OF: usize = 15;
/// What is usual never falls below this share of the median of all.
const LEAST_USUAL: f64 = 0.5;
/// Key pictures: samples across, and how many are kept beside the click's.
const KEY: usize = 24;
const KEYS: usize = 8;

/// All that changes from frame to frame on the way, but for what was found on each.
#[derive(Clone)]
pub(super) struct Memory {
    pub frame: Frame,
    /// Of the subject, over that at the start.
    pub scale: f64,
    /// Copies of this frame so far.
    pub copies: u32,
    /// Where it is or else hidden.
    pub stays: Option<Point>,
    pub filter: Filter,
    pub usual: Usual,
    pub keys: Keys,
    /// As it was when it was last believed, and when it was last seen.
    pub believed: Option<Template>,
    pub newest: Option<Template>,
    /// For how many frames it has to look like a key picture to be learned.
    pub wary: u32,
}

impl Memory {
    /// Of a subject of which nothing is known, in a film without colour.
    pub fn new(frame: Frame) -> Self {
        Self {
            frame,
            scale: 1.0,
            copies: 0,
            stays: None,
            filter: Filter::new(GREY),
            usual: Usual::default(),
            keys: Keys::default(),
            believed: None,
            newest: None,
            wary: 0,
        }
    }
}

/// What response is usual.
#[derive(Clone, Debug, Default)]
pub(super) struct Usual {
    /// Response at the click.
    pub first: f64,
    last: VecDeque<f64>,
    all: Vec<f64>,
}

impl Usual {
    /// Takes note of a response that is believed.
    pub fn accept(&mut self, response: f64) {
        self.last.push_back(response);
        if self.last.len() > USUAL_OF {
            self.last.pop_front();
        }
        self.all.push(response);
    }

    /// What is usual now.
    pub fn level(&self) -> f64 {
        let median = |mut values: Vec<f64>| {
            values.sort_by(f64::total_cmp);
            values.get(values.len() / 2).copied()
        };
        let first = FIRST_USUAL * self.first;
        let Some(last) = median(self.last.iter().copied().collect()) else { return first.max(1e-6) };
        let all = median(self.all.clone()).unwrap_or(first);
        last.max(LEAST_USUAL * all).max(1e-6)
    }
}

/// Pictures of the subject's box that were believed, as they are compared by eye.
#[derive(Clone, Debug, Default)]
pub(super) struct Keys {
    /// The click's.
    pub first: Vec<f32>,
    last: VecDeque<Vec<f32>>,
}

impl Keys {
    /// A picture of the box, its light taken out.
    pub fn picture(window: &Window, at: Point, side: f64) -> Vec<f32> {
        lit_alike(samples(window, &Neighbourhood { middle: at, side }, KEY))
    }

    /// Adds one that is believed.
    pub fn add(&mut self, picture: Vec<f32>) {
        self.last.push_back(picture);
        if self.last.len() > KEYS {
            self.last.pop_front();
        }
    }

    /// 0 for one that looks like a key picture, 1 for one that looks like none; it may be off by a sample.
    pub fn strangeness(&self, window: &Window, at: Point, side: f64) -> f64 {
        let wide = KEY + 2;
        let of = Neighbourhood { middle: at, side: side * wide as f64 / KEY as f64 };
        let values = samples(window, &of, wide);
        let mut most: f32 = 0.0;
        let mut picture = vec![0.0; KEY * KEY];
        for (dx, dy) in (0..3).flat_map(|dy| (0..3).map(move |dx| (dx, dy))) {
            for (row, to) in picture.chunks_exact_mut(KEY).enumerate() {
                to.copy_from_slice(&values[(row + dy) * wide + dx..][..KEY]);
            }
            let mean = picture.iter().sum::<f32>() / picture.len() as f32;
            let energy = dot(&picture, &picture) - mean * mean * picture.len() as f32;
            let over = 1.0 / energy.max(1e-6).sqrt();
            for key in std::iter::once(&self.first).chain(&self.last) {
                most = most.max(dot(&picture, key) * over);
            }
        }
        f64::from(1.0 - most.clamp(0.0, 1.0))
    }
}

/// Sum of products, in eight sums that a processor adds up at once.
fn dot(a: &[f32], b: &[f32]) -> f32 {
    let mut sums = [0.0; 8];
    for (a, b) in a.chunks_exact(8).zip(b.chunks_exact(8)) {
        sums.iter_mut().zip(a.iter().zip(b)).for_each(|(sum, (a, b))| *sum += a * b);
    }
    sums.iter().sum()
}

/// With a mean of 0 and a length of 1, so that the sum of products is the correlation.
fn lit_alike(mut values: Vec<f32>) -> Vec<f32> {
    let mean = values.iter().sum::<f32>() / values.len() as f32;
    values.iter_mut().for_each(|value| *value -= mean);
    let length = values.iter().map(|value| value * value).sum::<f32>().sqrt().max(1e-3);
    values.iter_mut().for_each(|value| *value /= length);
    values
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::{PixelRect, Size};
    use crate::image::Plane;

    fn window(light: impl Fn(f64, f64) -> f64) -> Window {
        let plane = Plane::from_fn(Size::new(120, 90), |col, row| light(f64::from(col), f64::from(row)) as u8);
        plane.window(PixelRect { left: 0, top: 0, right: 120, bottom: 90 })
    }

    #[test]
    fn a_key_picture_is_known_in_another_light_and_a_little_beside() {
        let texture = |x: f64, y: f64| 100.0 + 40.0 * (x * 0.4).sin() + 30.0 * (y * 0.3 + x * 0.1).cos();
        let at = Point::new(60.0, 45.0);
        let keys = Keys { first: Keys::picture(&window(texture), at, 24.0), ..Keys::default() };
        let dim = window(|x, y| 0.6 * texture(x, y) + 20.0);
        assert!(keys.strangeness(&dim, at, 24.0) < 0.02);
        assert!(keys.strangeness(&dim, at + Point::new(1.0, 0.0), 24.0) < 0.02);
        let other = window(|x, y| 100.0 + 40.0 * (y * 0.5).sin() + 30.0 * (x * 0.2 - y * 0.2).cos());
        assert!(keys.strangeness(&other, at, 24.0) > 0.4);
    }

    #[test]
    fn what_is_usual_follows_what_is_believed_but_not_down_to_nothing() {
        let mut usual = Usual { first: 1.0, ..Usual::default() };
        assert!((usual.level() - FIRST_USUAL).abs() < 1e-9);
        (0..40).for_each(|_| usual.accept(0.8));
        assert!((usual.level() - 0.8).abs() < 1e-9);
        (0..20).for_each(|_| usual.accept(0.1));
        assert!((usual.level() - 0.4).abs() < 1e-9, "half of what was usual before");
    }
}
