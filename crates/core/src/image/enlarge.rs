//! Small parts of a picture, enlarged for looking at.

use super::{Plane, Window};
use crate::geometry::{Homography, Point, Rect, Size};

/// The part of the picture `cols * rows` pixels large about `centre`, enlarged `zoom` times.
///
/// Interpolated by cubic convolution (Keys 1981, a = -1/2), which keeps edges crisp; computing uses another, smoother
/// kernel. Beyond the window its edge is repeated.
pub fn enlarge(window: &Window, centre: Point, cols: u32, rows: u32, zoom: u32) -> Plane {
    let zoom = zoom.max(1);
    let size = Size::new((cols * zoom).max(1), (rows * zoom).max(1));
    let start = centre - Point::new(f64::from(cols), f64::from(rows)) * 0.5;
    let at = |index: u32| (f64::from(index) + 0.5) / f64::from(zoom) - 0.5;
    Plane::from_fn(size, |col, row| {
        let value = cubic(window, start.x + at(col), start.y + at(row));
        value.round().clamp(0.0, 255.0) as u8
    })
}

/// What lies in `face`, a box of another picture, where `map` takes it from there to this one: brought upright, `size`
/// pixels large. Interpolated as [`enlarge`] does; made smaller, several places are averaged for each pixel.
pub fn upright(window: &Window, map: &Homography, face: Rect, size: Size) -> Plane {
    let (width, height) = (face.right - face.left, face.bottom - face.top);
    let step = Point::new(width / f64::from(size.width.max(1)), height / f64::from(size.height.max(1)));
    let parts = step.x.max(step.y).ceil().clamp(1.0, MOST_PARTS);
    let within = |part: f64, step: f64| (part + 0.5) / parts * step;
    Plane::from_fn(size, |col, row| {
        let corner = Point::new(face.left + f64::from(col) * step.x, face.top + f64::from(row) * step.y);
        let mut sum = 0.0;
        for part in 0..(parts * parts) as usize {
            let (across, down) = (part as f64 % parts, (part as f64 / parts).floor());
            let at = map.apply(corner + Point::new(within(across, step.x), within(down, step.y)));
            sum += cubic(window, at.x - 0.5, at.y - 0.5);
        }
        (sum / (parts * parts)).round().clamp(0.0, 255.0) as u8
    })
}

/// Places averaged for a pixel, across and down, at most.
const MOST_PARTS: f64 = 4.0;

/// The absolute differences of two equally large planes, after taking out gain and offset of brightness, made
/// `contrast` times stronger. Black where both agree. `None` when the sizes differ.
pub fn difference(a: &Plane, b: &Plane, contrast: f64) -> Option<Plane> {
    if a.size() != b.size() {
        return None;
    }
    let count = a.data().len() as f64;
    let mean = |plane: &Plane| plane.data().iter().map(|&v| f64::from(v)).sum::<f64>() / count;
    let (mean_a, mean_b) = (mean(a), mean(b));
    let pairs = || a.data().iter().zip(b.data()).map(|(&a, &b)| (f64::from(a) - mean_a, f64::from(b) - mean_b));
    let energy: f64 = pairs().map(|(a, _)| a * a).sum();
    let gain = if energy > 0.0 { pairs().map(|(a, b)| a * b).sum::<f64>() / energy } else { 1.0 };
    let data = pairs().map(|(a, b)| ((b - gain * a).abs() * contrast).round().min(255.0) as u8);
    Plane::new(a.size(), data.collect())
}

fn cubic(window: &Window, x: f64, y: f64) -> f64 {
    let (col, row) = (x.floor(), y.floor());
    let (across, down) = (weights(x - col), weights(y - row));
    let size = window.plane.size();
    let pixel = |col: i64, row: i64| {
        let col = (col - i64::from(window.left)).clamp(0, i64::from(size.width) - 1) as usize;
        let row = (row - i64::from(window.top)).clamp(0, i64::from(size.height) - 1) as usize;
        f64::from(window.plane.row(row)[col])
    };
    let line = |j: usize| -> f64 {
        let row = row as i64 + j as i64 - 1;
        across.iter().enumerate().map(|(i, weight)| weight * pixel(col as i64 + i as i64 - 1, row)).sum()
    };
    down.iter().enumerate().map(|(j, weight)| weight * line(j)).sum()
}

fn weights(t: f64) -> [f64; 4] {
    let near = |d: f64| 1.5 * d.powi(3) - 2.5 * d.powi(2) + 1.0;
    let far = |d: f64| -0.5 * d.powi(3) + 2.5 * d.powi(2) - 4.0 * d + 2.0;
    [far(1.0 + t), near(t), near(1.0 - t), far(2.0 - t)]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::PixelRect;

    fn window() -> Window {
        let plane = Plane::from_fn(Size::new(40, 40), |col, row| (3 * col + 2 * row) as u8);
        plane.window(PixelRect { left: 0, top: 0, right: 40, bottom: 40 })
    }

    #[test]
    fn a_face_is_brought_upright() {
        let face = Rect { left: 5.0, top: 8.0, right: 21.0, bottom: 16.0 };
        let turned = Homography::new([[0.0, -1.0, 30.0], [1.0, 0.0, 4.0], [0.0, 0.0, 1.0]]);
        let seen = upright(&window(), &turned, face, Size::new(32, 16));
        // A slope stays a slope; twice as large, half of the face's pixel is one.
        let value = |col: u32, row: u32| {
            let at = turned.apply(Point::new(5.0 + (f64::from(col) + 0.5) / 2.0, 8.0 + (f64::from(row) + 0.5) / 2.0));
            3.0 * (at.x - 0.5) + 2.0 * (at.y - 0.5)
        };
        for (col, row) in [(0, 0), (31, 15), (12, 7)] {
            assert!((f64::from(seen.row(row as usize)[col as usize]) - value(col, row)).abs() <= 0.5);
        }
        let small = upright(&window(), &turned, face, Size::new(4, 2));
        assert_eq!(small.size(), Size::new(4, 2));
    }

    #[test]
    fn unenlarged_and_unshifted_it_is_the_picture_itself() {
        let part = enlarge(&window(), Point::new(10.5, 20.5), 5, 3, 1);
        assert_eq!(part.row(0), [62, 65, 68, 71, 74]);
    }

    #[test]
    fn a_ramp_stays_a_ramp() {
        let part = enlarge(&window(), Point::new(20.0, 20.0), 8, 8, 4);
        let steps: Vec<i32> = part.row(16).windows(5).map(|w| i32::from(w[4]) - i32::from(w[0])).collect();
        assert!(steps.iter().all(|step| (2..=4).contains(step)), "{steps:?}");
    }

    #[test]
    fn equal_but_for_light_is_no_difference() {
        let a = enlarge(&window(), Point::new(15.0, 15.0), 9, 9, 2);
        let b = Plane::new(a.size(), a.data().iter().map(|v| v / 2 + 30).collect()).unwrap();
        assert!(difference(&a, &b, 1.0).unwrap().data().iter().all(|&v| v <= 1));
        let moved = enlarge(&window(), Point::new(15.0, 19.0), 9, 8, 2);
        assert!(difference(&a, &moved, 1.0).is_none());
    }
}
