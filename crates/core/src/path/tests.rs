//! Recipe on motions that are known, and on random ones.

use proptest::prelude::*;

use super::*;
use crate::track::{Covariance, Sample, SampleState};

fn track(places: impl IntoIterator<Item = Point>) -> Track {
    unsure(places, 0.1)
}

/// As sure as this standard deviation.
fn unsure(places: impl IntoIterator<Item = Point>, deviation: f64) -> Track {
    let variance = deviation * deviation;
    let sample = |at| Sample::bare(at, 0.95, Covariance::new([variance, 0.0, variance]), SampleState::Found);
    places.into_iter().enumerate().map(|(n, at)| (Frame(n as u32), sample(at))).collect()
}

/// Even noise between -1 and 1, the same on every run.
fn noise(seed: u32) -> impl FnMut() -> f64 {
    let mut state = seed.wrapping_mul(747_796_405).wrapping_add(2_891_336_453);
    move || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        f64::from(state >> 8) / f64::from(1u32 << 23) - 1.0
    }
}

fn walk(n: u32) -> Point {
    let t = f64::from(n);
    Point::new(100.0 + 1.8 * t + 10.0 * (t / 17.0).sin(), 200.0 + 6.0 * (t / 6.0).cos())
}

fn jittery(count: u32, jitter: f64) -> Track {
    let mut noise = noise(5);
    unsure((0..count).map(|n| walk(n) + Point::new(noise(), noise()) * (jitter * 3f64.sqrt())), jitter.max(0.02))
}

fn rms(errors: impl Iterator<Item = f64>) -> f64 {
    let squares: Vec<f64> = errors.map(|error| error * error).collect();
    (squares.iter().sum::<f64>() / squares.len() as f64).sqrt()
}

fn only(kind: StepKind) -> Recipe {
    Recipe { steps: vec![Step::new(kind)], hand_keys: Vec::new() }
}

#[test]
fn the_cleaned_path_is_nearer_to_the_truth_and_not_late() {
    let raw = jittery(300, 0.5);
    let path = clean(&raw, &Recipe::default());
    let error = |shift: f64| {
        rms(path.iter().map(|(frame, at)| {
            let t = f64::from(frame.0) + shift;
            let truth = Point::new(100.0 + 1.8 * t + 10.0 * (t / 17.0).sin(), 200.0 + 6.0 * (t / 6.0).cos());
            at.distance(truth)
        }))
    };
    let before = rms(raw.iter().map(|(frame, sample)| sample.at.distance(walk(frame.0))));
    assert!(error(0.0) < 0.5 * before, "raw {before}, clean {}", error(0.0));
    // The truth a tenth of a frame earlier or later fits worse: there is no lag.
    assert!(error(0.0) < error(0.1) && error(0.0) < error(-0.1));
}

#[test]
fn a_shaking_hand_is_not_taken_for_jitter() {
    // Sure to a fiftieth of a pixel, and shaking by two: the shake is real, and a label has to go along with it.
    let mut noise = noise(3);
    let raw = unsure((0..200).map(|n| walk(n) + Point::new(noise(), noise()) * 2.0), 0.02);
    let path = clean(&raw, &only(StepKind::Smooth { strength: 1.0 }));
    assert!(Report::of(&path, &raw).largest < 0.05, "{:?}", Report::of(&path, &raw));
    // Said to be less sure, it is smoothed.
    let path = clean(&raw, &only(StepKind::Smooth { strength: 30.0 }));
    assert!(Report::of(&path, &raw).mean > 0.5, "{:?}", Report::of(&path, &raw));
}

#[test]
fn a_sudden_stop_keeps_its_corner() {
    let mut noise = noise(9);
    let stop = |n: u32| Point::new(5.0 * f64::from(n.min(60)), 50.0);
    let raw = track((0..120).map(|n| stop(n) + Point::new(noise(), noise()) * 0.15));
    let path = clean(&raw, &Recipe::default());
    let worst = path.iter().map(|(frame, at)| at.distance(stop(frame.0))).fold(0.0, f64::max);
    // Pulled back to within a pixel of what was seen, which is itself off by up to 0.2.
    assert!(worst < 1.2, "{worst}");
}

#[test]
fn jumps_are_taken_out_and_guides_stay() {
    let mut raw = jittery(120, 0.1);
    for (n, by) in [(30, 9.0), (31, 8.0), (77, -14.0)] {
        let sample = raw.get(Frame(n)).unwrap();
        raw.set(Frame(n), Some(Sample { at: sample.at + Point::new(by, 3.0), ..sample }));
    }
    let guide = walk(50) + Point::new(0.0, 1.5);
    raw.set(Frame(50), Some(Sample::guide(guide)));
    let path = clean(&raw, &Recipe::default());
    for n in [29, 30, 31, 32, 77] {
        assert!(path.position(Frame(n)).unwrap().distance(walk(n)) < 0.5, "frame {n}");
    }
    let off = path.position(Frame(50)).unwrap().distance(guide);
    assert!(off <= 0.26, "the guide is moved by {off}, more than the curve's tolerance");
    let report = Report::of(&path, &raw);
    assert_eq!(report.largest_on, Some(Frame(77)));
    assert!(report.largest > 13.0 && report.mean < 0.5 && report.samples == 120, "{report:?}");
}

#[test]
fn the_default_recipe_needs_few_keyframes() {
    let path = clean(&jittery(240, 0.1), &Recipe::default());
    assert!(path.keys().count() < 40, "{}", path.keys().count());
    assert_eq!(path.runs[0].places.len(), 240);
}

#[test]
fn each_span_is_cleaned_on_its_own() {
    let mut raw = jittery(60, 0.1);
    for n in 20..30 {
        raw.set(Frame(n), None);
    }
    let path = clean(&raw, &Recipe::default());
    let spans: Vec<(u32, u32)> = path.spans().iter().map(|span| (span.first.0, span.last.0)).collect();
    assert_eq!(spans, [(0, 19), (30, 59)]);
    assert_eq!(path.position(Frame(25)), None);
}

#[test]
fn a_step_on_a_range_leaves_the_rest() {
    let raw = jittery(100, 0.5);
    let range = FrameRange::new(Frame(40), Frame(70));
    let step = Step { range, ..Step::new(StepKind::Polynomial { window: 11, degree: 2 }) };
    let path = clean(&raw, &Recipe { steps: vec![step], hand_keys: Vec::new() });
    for (frame, sample) in raw.iter() {
        let moved = path.position(frame).unwrap().distance(sample.at);
        assert!(range.unwrap().contains(frame) || moved == 0.0, "frame {frame} moved by {moved}");
    }
    assert!(path.position(Frame(55)).unwrap().distance(raw.get(Frame(55)).unwrap().at) > 0.05);
    let keyed = Step { range, ..Step::new(StepKind::Straight { tolerance: 2.0 }) };
    let path = clean(&raw, &Recipe { steps: vec![keyed], hand_keys: Vec::new() });
    // One key a frame outside of the range, few inside.
    assert!(path.keys().count() > 69 && path.keys().count() < 90, "{}", path.keys().count());
}

#[test]
fn easing_comes_to_rest_on_the_same_way() {
    let raw = track((0..60).map(|n| Point::new(4.0 * f64::from(n), 10.0)));
    let path = clean(&raw, &only(StepKind::EaseOut { frames: 20 }));
    let x: Vec<f64> = path.iter().map(|(_, at)| at.x).collect();
    assert!((x[39] - 4.0 * 39.0).abs() < 1e-6);
    assert!((x[59] - 4.0 * 59.0).abs() < 1e-9);
    assert!(x[59] - x[58] < 0.5 && x[40] - x[39] > 3.0, "{:?}", &x[38..]);
    assert!(x.windows(2).all(|pair| pair[1] >= pair[0]));
    let path = clean(&raw, &only(StepKind::EaseIn { frames: 20 }));
    let x: Vec<f64> = path.iter().map(|(_, at)| at.x).collect();
    assert!(x[0].abs() < 1e-9 && x[1] < 0.5 && (x[20] - 80.0).abs() < 1e-6, "{:?}", &x[..22]);
}

#[test]
fn keyframes_are_dropped_stretched_and_set_by_hand() {
    let raw = jittery(100, 0.0);
    let with = |more: &[StepKind]| {
        let steps = [StepKind::Curve { tolerance: 0.1 }].iter().chain(more).copied().map(Step::new).collect();
        Recipe { steps, hand_keys: Vec::new() }
    };
    let plain = clean(&raw, &with(&[]));
    let dropped = clean(&raw, &with(&[StepKind::DropLast { count: 3 }]));
    assert_eq!(dropped.keys().count(), plain.keys().count() - 3);
    assert_eq!(dropped.keys().last(), plain.keys().last());
    let dense = clean(&raw, &with(&[StepKind::LongestStretch { frames: 5 }]));
    let frames: Vec<u32> = dense.keys().map(|key| key.frame.0).collect();
    assert!(frames.windows(2).all(|pair| pair[1] - pair[0] <= 5), "{frames:?}");
    for (frame, at) in plain.iter() {
        assert!(dense.position(frame).unwrap().distance(at) < 1e-9);
    }
    let key = PathKeyframe::smooth(Frame(33), Point::new(500.0, 300.0), Point::default());
    let last = plain.keys().last().unwrap().frame;
    let hand_keys = vec![HandKey { frame: Frame(33), key: Some(key) }, HandKey { frame: last, key: None }];
    let by_hand = clean(&raw, &Recipe { hand_keys, ..with(&[]) });
    assert_eq!(by_hand.position(Frame(33)), Some(key.at));
    assert_eq!(by_hand.keys().count(), plain.keys().count());
}

#[test]
fn gaps_are_bridged_in_three_ways() {
    let mut raw = track((0..60).map(|n| Point::new(3.0 * f64::from(n), 0.1 * f64::from(n * n))));
    let other = raw.clone();
    for n in 25..=34 {
        raw.set(Frame(n), None);
    }
    let range = FrameRange::new(Frame(25), Frame(34)).unwrap();
    let off = |bridged: Vec<(Frame, Sample)>| {
        assert_eq!(bridged.len(), 10);
        assert!(bridged.iter().all(|(_, sample)| sample.state == SampleState::Bridged));
        bridged.iter().map(|(frame, s)| s.at.distance(other.get(*frame).unwrap().at)).fold(0.0, f64::max)
    };
    let straight = off(bridge(&raw, range, Bridge::Straight, None).unwrap());
    let smooth = off(bridge(&raw, range, Bridge::Smooth, None).unwrap());
    let riding = off(bridge(&raw, range, Bridge::Riding, Some(&other)).unwrap());
    assert!(riding < 1e-9 && smooth < 1.5 && straight > 2.5, "{straight} {smooth} {riding}");
    let early = FrameRange::new(Frame(0), Frame(5)).unwrap();
    assert_eq!(bridge(&raw, early, Bridge::Smooth, None), Err(BridgeProblem::NothingBefore(Frame(0))));
    assert_eq!(bridge(&raw, range, Bridge::Riding, Some(&raw)), Err(BridgeProblem::OtherAway(Frame(25))));
}

#[test]
fn a_path_is_carried_on_past_its_end() {
    let raw = track((0..40).map(|n| Point::new(600.0 + 2.0 * f64::from(n), 30.0)));
    let range = FrameRange::new(Frame(40), Frame(49)).unwrap();
    let on = continue_outside(&raw, range, None).unwrap();
    assert!(on[9].1.at.distance(Point::new(698.0, 30.0)) < 1e-9);
    assert_eq!(continue_outside(&Track::new(), range, None), Err(BridgeProblem::NothingBefore(Frame(40))));
}

#[test]
fn followed_by_hand_it_passes_through_the_places_and_joins_what_is_there() {
    let raw = track((0..60).map(walk));
    let range = FrameRange { first: Frame(20), last: Frame(40) };
    let places = [(Frame(20), walk(20)), (Frame(27), walk(27)), (Frame(34), walk(34)), (Frame(40), walk(40))];
    let samples = by_hand(&raw, range, &places);
    assert_eq!(samples.len(), 21);
    for (frame, sample) in &samples {
        let sample = sample.unwrap();
        let clicked = places.iter().any(|(on, _)| on == frame);
        assert_eq!(sample.state, if clicked { SampleState::Guide } else { SampleState::Bridged });
        // The walk bobs by 6 px every 38 frames; a curve through every seventh frame follows that.
        let miss = sample.at.distance(walk(frame.0));
        assert!(miss < if clicked { 1e-12 } else { 1.0 }, "frame {frame}: {miss}");
    }
    let alone = by_hand(&Track::new(), range, &places[1..3]);
    assert!(alone.iter().all(|(frame, sample)| sample.is_some() == (27..=34).contains(&frame.0)));
}

#[test]
fn a_hand_over_does_not_jump() {
    let truth = |n: u32| Point::new(10.0 + 4.0 * f64::from(n), 5.0);
    let first = track((0..40).map(truth));
    let other = Point::new(33.0, -12.0);
    let second: Track = track((0..80).map(|n| truth(n) + other));
    let both = hand_over(&first, &second, Frame(30)).unwrap();
    let apart: Track = second.iter().filter(|(frame, _)| frame.0 >= 44).collect();
    let carried = hand_over(&first, &apart, Frame(40)).unwrap();
    for (joined, from) in [(both, 30), (carried, 44)] {
        for n in (0..40).chain(from..80) {
            assert!(joined.position(Frame(n)).unwrap().distance(truth(n)) < 1e-6, "frame {n}");
        }
    }
    assert_eq!(hand_over(&first, &Track::new(), Frame(30)), None);
}

#[test]
fn numbers_out_of_bounds_are_named() {
    assert_eq!(Recipe::default().check(), Ok(()));
    let bad = only(StepKind::Polynomial { window: 8, degree: 2 });
    assert!(bad.check().unwrap_err().to_string().starts_with("step 1: the window is an odd number"));
    assert!(only(StepKind::Curve { tolerance: f64::NAN }).check().is_err());
    let key = PathKeyframe::straight(Frame(3), Point::new(f64::INFINITY, 0.0));
    let hand_keys = vec![HandKey { frame: Frame(3), key: Some(key) }];
    assert_eq!(Recipe { steps: Vec::new(), hand_keys }.check(), Err(RecipeProblem::PathKeyframe(Frame(3))));
}

/// A random walk whose velocity changes now and then, with jumps.
fn wandering() -> impl Strategy<Value = Vec<Point>> {
    (2usize..160, any::<u32>(), 0.0..4.0f64).prop_map(|(count, seed, wild)| {
        let mut noise = noise(seed);
        let (mut at, mut velocity) = (Point::new(300.0, 200.0), Point::default());
        (0..count)
            .map(|_| {
                if noise() > 0.8 {
                    velocity = Point::new(noise(), noise()) * (4.0 * wild);
                }
                at = at + velocity;
                at + Point::new(noise(), noise()) * (0.4 * wild)
            })
            .collect()
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(2000))]

    #[test]
    fn a_curve_stays_within_its_tolerance_at_equal_frames(places in wandering(), tolerance in 0.01..5.0f64) {
        let curve = fit_curve(Frame(7), &places, tolerance);
        for (i, at) in places.iter().enumerate() {
            let off = curve.at(7.0 + i as f64).distance(*at);
            // A thousandth for places that have to be passed exactly.
            prop_assert!(off <= tolerance + 1e-3, "place {i} of {}: off by {off}", places.len());
        }
        prop_assert_eq!(curve.keys().first().unwrap().frame, Frame(7));
        prop_assert_eq!(curve.keys().last().unwrap().frame, Frame(7 + places.len() as u32 - 1));
    }

    #[test]
    fn fewer_points_stay_within_the_tolerance_at_equal_frames(places in wandering(), tolerance in 0.0..5.0f64) {
        let path = clean(&track(places.clone()), &only(StepKind::Straight { tolerance }));
        for (i, at) in places.iter().enumerate() {
            prop_assert!(path.position(Frame(i as u32)).unwrap().distance(*at) <= tolerance + 1e-9);
        }
    }

    #[test]
    fn pulled_back_is_within_the_distance_wherever_it_stands(places in wandering(), distance in 0.1..3.0f64) {
        let smooth = StepKind::Smooth { strength: 50.0 };
        let (back, curve) = (StepKind::MaxDeviation { distance }, StepKind::Curve { tolerance: 2.0 });
        let raw = track(places);
        for kinds in [vec![smooth, back], vec![smooth, curve, back]] {
            let steps = kinds.into_iter().map(Step::new).collect();
            let path = clean(&raw, &Recipe { steps, hand_keys: Vec::new() });
            let report = Report::of(&path, &raw);
            prop_assert!(report.largest <= distance + 1e-3, "{report:?}");
        }
    }
}
