//! The core against OpenCV on the same pixels. `reference/make.py` makes the numbers; it names library and version.

use jampin_core::align::{Aligner, Pattern, StopReason};
use jampin_core::geometry::{Homography, PixelRect, Point, Size};
use jampin_core::image::{Plane, Window};
use jampin_core::matching::{CornerMap, Template};
use jampin_core::pin::Filter;
use jampin_core::track::MotionModel;
use serde_json::Value;

fn reference() -> Value {
    serde_json::from_str(include_str!("reference/opencv.json")).unwrap()
}

fn bytes(value: &Value) -> Vec<u8> {
    value.as_array().unwrap().iter().map(|v| v.as_u64().unwrap() as u8).collect()
}

fn window(side: u32, data: Vec<u8>) -> Window {
    let whole = PixelRect { left: 0, top: 0, right: side as i32, bottom: side as i32 };
    Plane::new(Size::new(side, side), data).unwrap().window(whole)
}

#[test]
fn correlation_is_that_of_match_template() {
    let reference = reference();
    let side = reference["side"].as_u64().unwrap() as usize;
    let picture: Vec<f32> = bytes(&reference["picture"]).into_iter().map(f32::from).collect();
    let part = |name: &str| reference["template"][name].as_u64().unwrap() as usize;
    let (left, top, cols, rows) = (part("left"), part("top"), part("cols"), part("rows"));
    let pattern = (0..rows).flat_map(|row| picture[(top + row) * side + left..][..cols].to_vec()).collect();
    let template = Template::new(pattern, cols, rows).unwrap();
    let all = reference["correlation"].as_array().unwrap();
    assert!(all.len() > 40);
    for place in all {
        let (x, y) = (place["x"].as_u64().unwrap() as usize, place["y"].as_u64().unwrap() as usize);
        let got = f64::from(template.score(&picture, y * side + x, side).unwrap());
        let want = place["score"].as_f64().unwrap();
        // Both add up some 250 products in single precision.
        assert!((got - want).abs() < 2e-4, "at {x},{y}: {got}, OpenCV {want}");
    }
}

#[test]
fn alignment_is_as_near_to_the_truth_as_lucas_kanade_or_nearer() {
    let reference = reference();
    let side = reference["side"].as_u64().unwrap() as u32;
    let start = Point::new(47.5, 47.5);
    let pattern =
        Pattern::pick(&[window(side, bytes(&reference["picture"]))], &Homography::shift(start), 31, 31, Filter::None);
    let (mut ours, mut theirs) = (0.0, 0.0);
    for shift in reference["shifts"].as_array().unwrap() {
        let pair = |name: &str| Point::new(shift[name][0].as_f64().unwrap(), shift[name][1].as_f64().unwrap());
        let (truth, opencv) = (pair("truth"), pair("opencv"));
        let current = window(side, bytes(&shift["picture"]));
        let found =
            Aligner::default().align(&pattern, &[current], Homography::shift(start), MotionModel::Position, 3.0);
        assert_eq!(found.stop, StopReason::Converged, "{truth:?}");
        let error = (found.centre() - start).distance(truth);
        // Bias below a hundredth without noise; with it, three times the deviation that it claims itself.
        let most = if shift["noise"] == 0 { 0.01 } else { 3.0 * found.covariance.deviation().length() };
        assert!(error < most, "{truth:?}: off by {error}, claimed {:?}", found.covariance.deviation());
        assert!(
            (found.centre() - start).distance(opencv) < 0.08,
            "{truth:?}: OpenCV {opencv:?}, ours {:?}",
            found.centre()
        );
        ours += error * error;
        theirs += opencv.distance(truth).powi(2);
    }
    assert!(ours <= theirs, "squared errors: ours {ours}, OpenCV {theirs}");
}

#[test]
fn corner_strength_is_that_of_opencv() {
    let reference = reference();
    let side = reference["side"].as_u64().unwrap() as u32;
    let map = CornerMap::new(&window(side, bytes(&reference["picture"])), 15);
    let corners = reference["corners"].as_array().unwrap();
    assert!(corners.len() >= 30);
    let mut pairs: Vec<(f64, f64)> = Vec::new();
    for corner in corners {
        let (x, y) = (corner["x"].as_u64().unwrap() as usize, corner["y"].as_u64().unwrap() as usize);
        let index = (y - map.top as usize) * map.cols + x - map.left as usize;
        for (ours, name) in [(map.smaller[index], "smaller"), (map.larger[index], "larger")] {
            let theirs = corner[name].as_f64().unwrap();
            assert!((f64::from(ours) / theirs - 1.0).abs() < 1e-3, "{name} at {x},{y}: {ours}, OpenCV {theirs}");
        }
        pairs.push((f64::from(map.smaller[index]), corner["sobel"].as_f64().unwrap()));
    }
    // With the Sobel gradients of cornerMinEigenVal the order of the places stays: Kendall's rank correlation.
    let order = |i: usize, j: usize| ((pairs[i].0 - pairs[j].0) * (pairs[i].1 - pairs[j].1)).signum();
    let all: Vec<f64> = (0..pairs.len()).flat_map(|i| (0..i).map(move |j| (i, j))).map(|(i, j)| order(i, j)).collect();
    let tau = all.iter().sum::<f64>() / all.len() as f64;
    assert!(tau > 0.9, "{tau}");
}
