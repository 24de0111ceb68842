//! Cleaning against scipy, filterpy, hampel and rdp on the same values. `reference/make_path.py` makes the numbers;
//! they name the versions.

use jampin_core::geometry::Point;
use jampin_core::path::{Smoother, hampel, reduce, savitzky_golay};
use serde_json::Value;

fn reference() -> Value {
    serde_json::from_str(include_str!("reference/path.json")).unwrap()
}

fn numbers(value: &Value) -> Vec<f64> {
    value.as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect()
}

fn indices(value: &Value) -> Vec<usize> {
    value.as_array().unwrap().iter().map(|v| v.as_u64().unwrap() as usize).collect()
}

fn whole(value: &Value) -> usize {
    value.as_u64().unwrap() as usize
}

#[test]
fn savitzky_golay_is_that_of_scipy() {
    let reference = reference();
    let noisy = numbers(&reference["noisy"]);
    for case in reference["savitzky_golay"].as_array().unwrap() {
        let got = savitzky_golay(&noisy, whole(&case["half"]), whole(&case["degree"]));
        let want = numbers(&case["values"]);
        assert_eq!(got.len(), want.len());
        for (i, (got, want)) in got.iter().zip(want).enumerate() {
            assert!((got - want).abs() < 1e-8, "half {} value {i}: {got}, scipy {want}", case["half"]);
        }
    }
}

#[test]
fn hampel_marks_what_the_hampel_package_marks() {
    let reference = reference();
    let spiked = numbers(&reference["spiked"]);
    for case in reference["hampel"].as_array().unwrap() {
        let half = whole(&case["half"]);
        let got: Vec<usize> = hampel(&spiked, half, case["sigmas"].as_f64().unwrap())
            .into_iter()
            .enumerate()
            // The package leaves the ends alone, where the window is cut off.
            .filter(|(i, marked)| *marked && (half..spiked.len() - half).contains(i))
            .map(|(i, _)| i)
            .collect();
        let want = indices(&case["marked"]);
        assert!(!want.is_empty());
        assert_eq!(got, want, "half {half}");
    }
}

#[test]
fn fewer_points_are_those_of_rdp() {
    let reference = reference();
    let places: Vec<Point> = reference["across_and_down"]
        .as_array()
        .unwrap()
        .iter()
        .map(numbers)
        .map(|at| Point::new(at[0], at[1]))
        .collect();
    for case in reference["reduced"].as_array().unwrap() {
        let tolerance = case["tolerance"].as_f64().unwrap();
        let got = reduce(&places, &vec![false; places.len()], tolerance);
        assert_eq!(got, indices(&case["kept"]), "tolerance {tolerance}");
    }
}

#[test]
fn the_smoother_is_that_of_filterpy() {
    let reference = reference();
    let kalman = &reference["kalman"];
    let missing = indices(&kalman["missing"]);
    let noisy = numbers(&reference["noisy"]).into_iter().enumerate();
    let measured: Vec<Option<f64>> = noisy.map(|(i, value)| (!missing.contains(&i)).then_some(value)).collect();
    let smoother = Smoother { push: kalman["push"].as_f64().unwrap() };
    let got = smoother.run(&measured, &numbers(&kalman["variances"]));
    let (places, velocities) = (numbers(&kalman["places"]), numbers(&kalman["velocities"]));
    assert_eq!(got.len(), places.len());
    for (i, (place, velocity)) in got.into_iter().enumerate() {
        // The unknown beginning has a variance of 1e8, which costs some digits.
        assert!((place - places[i]).abs() < 1e-5, "frame {i}: {place}, filterpy {}", places[i]);
        assert!((velocity - velocities[i]).abs() < 1e-5, "frame {i}: {velocity}, filterpy {}", velocities[i]);
    }
}
