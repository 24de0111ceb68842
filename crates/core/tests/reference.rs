//! The core against OpenCV on the same pixels. `reference/make.py` makes the numbers; it names library and version.

use jampin_core::align::{Aligner, Pattern, StopReason};
use jampin_core::geometry::{Homography, PixelRect, Point, Size};
use jampin_core::image::{Plane, Window};
use jampin_core::matching::Template;
use jampin_core::shot::{Filter, Motion};
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
    let pattern = Pattern::pick(&[window(side, bytes(&reference["picture"]))], &Homography::shift(start), 31, 31, Filter::None);
    let (mut ours, mut theirs) = (0.0, 0.0);
    for shift in reference["shifts"].as_array().unwrap() {
        let pair = |name: &str| Point::new(shift[name][0].as_f64().unwrap(), shift[name][1].as_f64().unwrap());
        let (truth, opencv) = (pair("truth"), pair("opencv"));
        let current = window(side, bytes(&shift["picture"]));
        let found = Aligner::default().align(&pattern, &[current], Homography::shift(start), Motion::Position, 3.0);
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
