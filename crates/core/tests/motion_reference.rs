//! Fitted motions against numpy, scikit-image and OpenCV on the same places. `reference/make_motion.py` makes the
//! numbers; they name the versions.

use jampin_core::geometry::{Homography, Point};
use jampin_core::motion::{Match, fit};
use jampin_core::track::{Covariance, MotionModel};
use serde_json::Value;

fn places(value: &Value) -> Vec<Point> {
    let pairs: Vec<[f64; 2]> = serde_json::from_value(value.clone()).unwrap();
    pairs.into_iter().map(|[x, y]| Point::new(x, y)).collect()
}

fn matches(from: &[Point], to: &[Point]) -> Vec<Match> {
    // So unsure that nothing is taken for an outlier: the libraries believe every place.
    let covariance = Covariance::new([1e6, 0.0, 1e6]);
    from.iter().zip(to).map(|(&from, &to)| Match { from, to, covariance }).collect()
}

/// Sum of squared distances in the second picture.
fn cost(map: &Homography, matches: &[Match]) -> f64 {
    matches.iter().map(|one| map.apply(one.from).distance(one.to).powi(2)).sum()
}

#[test]
fn fits_are_those_of_scikit_image_and_opencv() {
    let reference: Value = serde_json::from_str(include_str!("reference/motion.json")).unwrap();
    let models = [
        ("rotation", MotionModel::Rotation),
        ("scale", MotionModel::Scale),
        ("affine", MotionModel::Affine),
        ("perspective", MotionModel::Perspective),
    ];
    for case in reference["cases"].as_array().unwrap() {
        let matches = matches(&places(&case["from"]), &places(&case["to"]));
        for (name, model) in models {
            let theirs = Homography::new(serde_json::from_value(case[name].clone()).unwrap());
            let ours = fit(model, &matches).unwrap().map;
            let (our_cost, their_cost) = (cost(&ours, &matches), cost(&theirs, &matches));
            // OpenCV ends its refinement a little early: ours may be better, never worse.
            assert!(our_cost <= their_cost + 1e-9, "{name}: {our_cost}, theirs {their_cost}");
            for one in &matches {
                let apart = ours.apply(one.from).distance(theirs.apply(one.from));
                assert!(apart < 1e-4, "{name} of {} places: {apart} px apart", matches.len());
            }
        }
    }
}

/// The example of Umeyama 1991 (the numbers from memory; scikit-image 0.26 gives the same): turn and growth 0.721,
/// moved by (-0.8, 0.4).
#[test]
fn the_worked_example_of_umeyama() {
    let from = [Point::new(0.0, 0.0), Point::new(1.0, 0.0), Point::new(0.0, 2.0)];
    let to = [Point::new(0.0, 0.0), Point::new(-1.0, 0.0), Point::new(0.0, 2.0)];
    let fitted = fit(MotionModel::Scale, &matches(&from, &to)).unwrap();
    let want = [[0.6, 0.4, -0.8], [-0.4, 0.6, 0.4], [0.0, 0.0, 1.0]];
    for (got, want) in fitted.map.rows().iter().flatten().zip(want.iter().flatten()) {
        assert!((got - want).abs() < 1e-9, "{:?}", fitted.map);
    }
    let growth = fitted.map.warp().scale();
    assert!((growth - 0.721).abs() < 5e-4, "{growth}");
}
