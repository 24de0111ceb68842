//! Alignment of made pictures whose motion is known.

use super::*;
use crate::geometry::{LocalWarp, PixelRect, Size};
use crate::image::Plane;

const WHOLE: PixelRect = PixelRect { left: 0, top: 0, right: 120, bottom: 110 };
const CENTRE: Point = Point::new(60.0, 55.0);

/// A smooth scene with structure down to about four pixels, seen through a map about the middle of the picture.
fn scene(map: &Homography, gain: f64, offset: f64) -> Plane {
    let back = map.inverse().unwrap();
    Plane::from_fn(Size::new(120, 110), |col, row| {
        let at = back.apply(Point::new(f64::from(col) + 0.5, f64::from(row) + 0.5) - CENTRE);
        let (x, y) = (at.x, at.y);
        let wave = (x * 0.61 + y * 0.17).sin() + (y * 0.53 - x * 0.21).sin() + (x * 1.1).cos() * (y * 0.9).sin();
        (offset + gain * (120.0 + 30.0 * wave)).round() as u8
    })
}

fn pattern(layers: usize) -> Pattern {
    let plane = scene(&Homography::shift(Point::default()), 1.0, 0.0).window(WHOLE);
    Pattern::pick(&vec![plane; layers], &Homography::shift(CENTRE), 31, 31, Filter::None)
}

fn aligned(plane: &Plane, start: Point, motion: MotionModel) -> Alignment {
    let mut aligner = Aligner::default();
    aligner.align(&pattern(1), &[plane.window(WHOLE)], Homography::shift(start), motion, 3.0)
}

fn shifted(by: Point) -> Homography {
    Homography::shift(by)
}

#[test]
fn finds_fractions_of_a_pixel_with_a_bias_below_a_hundredth() {
    for step in 0..10 {
        let shift = Point::new(f64::from(step) * 0.1, 0.93 - f64::from(step) * 0.13);
        let found = aligned(&scene(&shifted(shift), 1.0, 0.0), CENTRE + Point::new(0.4, 0.3), MotionModel::Position);
        let error = found.centre() - (CENTRE + shift);
        assert!(error.length() < 0.01, "shift {shift:?}: off by {error:?}");
        assert_eq!(found.stop, StopReason::Converged);
        assert!(found.matched > 0.99, "{found:?}");
    }
}

#[test]
fn every_motion_finds_its_map() {
    let (sin, cos) = 0.12f64.sin_cos();
    let turned = [[cos, -sin, 0.6], [sin, cos, -0.8], [0.0, 0.0, 1.0]];
    let grown = [[1.1 * cos, -1.1 * sin, 0.6], [1.1 * sin, 1.1 * cos, -0.8], [0.0, 0.0, 1.0]];
    let sheared = [[1.08, 0.07, -0.5], [-0.05, 0.94, 0.9], [0.0, 0.0, 1.0]];
    let tilted = [[1.05, 0.04, -0.5], [-0.03, 0.96, 0.9], [0.003, -0.002, 1.0]];
    let cases = [
        (MotionModel::Rotation, turned),
        (MotionModel::Scale, grown),
        (MotionModel::Affine, sheared),
        (MotionModel::Perspective, tilted),
    ];
    for (motion, rows) in cases {
        let truth = Homography::new(rows);
        let found = aligned(&scene(&truth, 0.8, 15.0), CENTRE, motion);
        assert_eq!(found.stop, StopReason::Converged, "{motion:?} {found:?}");
        let corners = [(0.0, 0.0), (-15.0, -15.0), (15.0, -15.0), (15.0, 15.0)].map(|(x, y)| Point::new(x, y));
        for (i, corner) in corners.into_iter().enumerate() {
            let error = found.map.apply(corner).distance(CENTRE + truth.apply(corner));
            let most = if i == 0 { 0.015 } else { 0.06 };
            assert!(error < most, "{motion:?} corner {corner:?}: off by {error}");
        }
    }
}

#[test]
fn a_richer_motion_than_needed_costs_little() {
    let shift = Point::new(0.41, -0.27);
    let plane = scene(&shifted(shift), 1.0, 0.0);
    for motion in [MotionModel::Scale, MotionModel::Affine, MotionModel::Perspective] {
        let found = aligned(&plane, CENTRE, motion);
        assert!(found.centre().distance(CENTRE + shift) < 0.012, "{motion:?}: {:?}", found.centre());
        let shape = found.map.warp();
        assert!((shape.scale() - 1.0).abs() < 2e-3 && shape.rotation().abs() < 2e-3, "{motion:?} {shape:?}");
    }
}

#[test]
fn light_changes_nothing() {
    let shift = Point::new(0.37, -0.61);
    let found = aligned(&scene(&shifted(shift), 0.6, 20.0), CENTRE, MotionModel::Position);
    assert!(found.centre().distance(CENTRE + shift) < 0.02, "{:?}", found.centre());
    assert!((found.gain - 0.6).abs() < 0.02, "{}", found.gain);
}

#[test]
fn each_layer_has_its_own_light() {
    let shift = shifted(Point::new(0.37, -0.61));
    let windows =
        [(0.6, 20.0), (1.2, -10.0), (0.9, 0.0)].map(|(gain, offset)| scene(&shift, gain, offset).window(WHOLE));
    let start = Homography::shift(CENTRE);
    let found = Aligner::default().align(&pattern(3), &windows, start, MotionModel::Position, 3.0);
    assert!(found.centre().distance(CENTRE + shift.origin()) < 0.02, "{:?}", found.centre());
    assert!(found.matched > 0.99);
}

#[test]
fn a_passing_edge_hardly_pulls() {
    let shift = Point::new(0.25, 0.4);
    let clean = scene(&shifted(shift), 1.0, 0.0);
    let covered =
        Plane::from_fn(clean.size(), |col, row| if col > 71 { 15 } else { clean.row(row as usize)[col as usize] });
    let found = aligned(&covered, CENTRE, MotionModel::Position);
    assert!(found.centre().distance(CENTRE + shift) < 0.15, "{:?}", found.centre());
}

#[test]
fn a_flat_picture_is_reported_not_divided_by() {
    let flat = Plane::from_fn(Size::new(120, 110), |_, _| 77);
    for motion in [MotionModel::Position, MotionModel::Perspective] {
        let found = aligned(&flat, CENTRE, motion);
        assert_eq!((found.matched, found.stop), (0.0, StopReason::TooLittleTexture));
        assert!(found.centre().is_finite());
    }
}

#[test]
fn a_wrong_start_walks_away_or_matches_badly() {
    let found = aligned(&scene(&shifted(Point::new(15.0, 11.0)), 1.0, 0.0), CENTRE, MotionModel::Position);
    assert!(found.stop == StopReason::WalkedAway || found.matched < 0.8, "{found:?}");
}

#[test]
fn a_softened_reference_meets_a_softer_picture() {
    let (shift, along) = (Point::new(0.3, 0.2), Point::new(9.0, 3.0));
    let sharp = scene(&shifted(shift), 1.0, 0.0);
    let mut values: Vec<f32> = sharp.data().iter().map(|v| f32::from(*v)).collect();
    let blur = Blur { sigma: 0.0, along };
    blur.soften(&mut values, 120);
    let smeared = Plane::from_fn(sharp.size(), |col, row| values[row as usize * 120 + col as usize].round() as u8);
    let plane = scene(&shifted(Point::default()), 1.0, 0.0).window(WHOLE);
    let mut reference = Reference::pick(&[plane], Homography::shift(CENTRE), 31, 31, Filter::None);
    let start = Homography::shift(CENTRE);
    let seen = [smeared.window(WHOLE)];
    let plain = Aligner::default().align(&reference.sharp().clone(), &seen, start, MotionModel::Position, 3.0);
    let soft = Aligner::default().align(reference.softened(blur), &seen, start, MotionModel::Position, 3.0);
    assert!(soft.matched > 0.98 && plain.matched < 0.9, "{} {}", soft.matched, plain.matched);
    assert!(soft.centre().distance(CENTRE + shift) < 0.04, "{:?}", soft.centre());
    assert_eq!(LocalWarp::SAME, soft.map.warp());
}
