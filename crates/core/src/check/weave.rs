//! The weave: the picture through a pin, a line from each frame, side by side.

use crate::geometry::{PixelRect, Point, Size};
use crate::image::{Component, FrameSource, Plane, Window};
use crate::time::FrameRange;
use crate::track::Track;

/// Pixels on each side of the line that are averaged into it: grain goes, what is woven stays.
const THICKNESS: i32 = 1;
/// Where nothing can be shown: mid grey.
const NOTHING: u8 = 128;

/// Which lines are woven.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Threads {
    /// The picture's rows: motion across shows.
    Rows,
    /// Its columns: motion down shows.
    Columns,
}

/// One column for each frame of the range: the line of the picture through the pin, from `half` pixels before it to
/// `half` after, top to bottom. So there are `2 * half + 1` rows, and whatever moves with the pin makes level threads.
///
/// The line is taken where the track says, between pixels by linear interpolation. Frames without a sample, and what is
/// outside the picture, are mid grey.
///
/// # Errors
/// Those of the source.
pub fn weave<S: FrameSource>(
    source: &mut S,
    track: &Track,
    range: FrameRange,
    half: u32,
    threads: Threads,
) -> Result<Plane, S::Error> {
    let rows = 2 * half as usize + 1;
    let cols = range.count() as usize;
    let mut data = vec![NOTHING; rows * cols];
    for (col, frame) in range.frames().enumerate() {
        let Some(sample) = track.get(frame) else { continue };
        let size = source.size();
        let reach = f64::from(half) + 2.0;
        let thick = f64::from(THICKNESS) + 2.0;
        let (across, down) = if threads == Threads::Rows { (reach, thick) } else { (thick, reach) };
        let rect = PixelRect::around(sample.at, across, down).clamped_to(size);
        if rect.cols() == 0 || rect.rows() == 0 {
            continue;
        }
        let window = source.window(frame, rect, Component::Luma)?;
        for row in 0..rows {
            let along = row as f64 - f64::from(half);
            if let Some(value) = mean_across(&window, size, sample.at, along, threads) {
                data[row * cols + col] = value;
            }
        }
    }
    Ok(Plane::new(Size::new(cols as u32, rows as u32), data).expect("a range has frames"))
}

fn mean_across(window: &Window, size: Size, at: Point, along: f64, threads: Threads) -> Option<u8> {
    let values = (-THICKNESS..=THICKNESS).filter_map(|beside| {
        let beside = f64::from(beside);
        let (dx, dy) = if threads == Threads::Rows { (along, beside) } else { (beside, along) };
        let place = at + Point::new(dx, dy);
        size.contains(place).then(|| between(window, place))
    });
    let (sum, count) = values.fold((0.0, 0), |(sum, count), value| (sum + value, count + 1));
    (count > 0).then(|| (sum / f64::from(count)).round() as u8)
}

/// Linear between the four pixels around; the outermost pixels go on beyond the window.
fn between(window: &Window, at: Point) -> f64 {
    let size = window.plane.size();
    let (x, y) = (at.x - 0.5 - f64::from(window.left), at.y - 0.5 - f64::from(window.top));
    let (left, top) = (x.floor(), y.floor());
    let (u, v) = (x - left, y - top);
    let pixel = |col: f64, row: f64| {
        let col = col.clamp(0.0, f64::from(size.width - 1)) as usize;
        let row = row.clamp(0.0, f64::from(size.height - 1)) as usize;
        f64::from(window.plane.row(row)[col])
    };
    let upper = pixel(left, top) * (1.0 - u) + pixel(left + 1.0, top) * u;
    let lower = pixel(left, top + 1.0) * (1.0 - u) + pixel(left + 1.0, top + 1.0) * u;
    upper * (1.0 - v) + lower * v
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::image::PlaneStack;
    use crate::time::Frame;
    use crate::track::Sample;

    /// A pattern that moves 2 pixels a frame across.
    fn film() -> PlaneStack {
        let planes = (0..20).map(|n| {
            Plane::from_fn(Size::new(120, 40), |col, row| {
                let x = f64::from(col) - 2.0 * f64::from(n);
                (128.0 + 90.0 * (x * 0.5).sin() * (f64::from(row) * 0.3).cos()) as u8
            })
        });
        PlaneStack::new(planes.collect()).unwrap()
    }

    fn track(place: impl Fn(u32) -> Point) -> Track {
        (0..20).map(|n| (Frame(n), Sample::guide(place(n)))).collect()
    }

    fn unevenness(plane: &Plane) -> i32 {
        let rows = plane.size().height as usize;
        let spread = |row: usize| {
            let (low, high) = plane.row(row).iter().fold((255, 0), |(low, high), &v| (low.min(v), high.max(v)));
            i32::from(high) - i32::from(low)
        };
        (0..rows).map(spread).max().unwrap()
    }

    #[test]
    fn threads_are_level_where_it_holds_and_slanted_where_it_drifts() {
        let range = FrameRange { first: Frame(0), last: Frame(19) };
        let good = track(|n| Point::new(30.5 + 2.0 * f64::from(n), 20.5));
        let drifting = track(|n| Point::new(30.5 + 2.2 * f64::from(n), 20.5));
        let held = weave(&mut film(), &good, range, 12, Threads::Rows).unwrap();
        assert_eq!(held.size(), Size::new(20, 25));
        assert!(unevenness(&held) <= 2, "{}", unevenness(&held));
        let slanted = weave(&mut film(), &drifting, range, 12, Threads::Rows).unwrap();
        assert!(unevenness(&slanted) > 60, "{}", unevenness(&slanted));
        // The columns go down: there the drift across shows as a change of brightness only.
        assert!(unevenness(&weave(&mut film(), &good, range, 12, Threads::Columns).unwrap()) <= 2);
    }

    #[test]
    fn what_cannot_be_seen_is_grey() {
        let range = FrameRange { first: Frame(0), last: Frame(19) };
        let mut leaving = track(|n| Point::new(3.0 - 10.0 * f64::from(n), 20.0));
        leaving.set(Frame(7), None);
        let plane = weave(&mut film(), &leaving, range, 5, Threads::Rows).unwrap();
        assert!((0..11).all(|row| plane.row(row)[7] == NOTHING && plane.row(row)[19] == NOTHING));
        assert_ne!(plane.row(5)[0], NOTHING);
    }
}
