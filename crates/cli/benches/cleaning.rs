//! How long a recipe takes: `cargo bench -p jampin-cli --profile dev --bench cleaning`. A step of a recipe is previewed
//! while its number is turned, so 1000 samples have to be done well within 100 ms.

use std::time::Instant;

use jampin_core::geometry::Point;
use jampin_core::path::{Recipe, Report, Step, StepKind, clean};
use jampin_core::time::Frame;
use jampin_core::track::{Covariance, Sample, SampleState, Track};

/// A walk with turns, stops and jitter.
fn walk(count: u32) -> Track {
    let mut state = 7u32;
    let mut noise = move || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        f64::from(state >> 8) / f64::from(1u32 << 23) - 1.0
    };
    let (mut at, mut velocity) = (Point::new(640.0, 360.0), Point::default());
    let mut sample = move |n: u32| {
        if noise() > 0.9 {
            velocity = Point::new(noise(), noise()) * 8.0;
        }
        at = at + velocity;
        let seen = at + Point::new(noise(), noise()) * 0.3;
        (Frame(n), Sample::bare(seen, 0.95, Covariance::new([0.01, 0.0, 0.01]), SampleState::Found))
    };
    (0..count).map(&mut sample).collect()
}

fn main() {
    let one = |kind: StepKind| Recipe { steps: vec![Step::new(kind)], hand_keys: Vec::new() };
    let recipes = [
        ("usual recipe", Recipe::default()),
        ("take out jumps", one(StepKind::Outliers { window: 15, sigmas: 5.0, least: 0.75 })),
        ("take out jitter", one(StepKind::Smooth { strength: 1.0 })),
        ("few keyframes within 0.25 px", one(StepKind::Curve { tolerance: 0.25 })),
        ("fewer points within 0.25 px", one(StepKind::Straight { tolerance: 0.25 })),
    ];
    println!(
        "| recipe | 250 samples | 1000 samples | 5000 samples | keyframes of 1000 |\n| --- | --- | --- | --- | --- |"
    );
    for (name, recipe) in recipes {
        let mut keys = 0;
        let times = [250, 1000, 5000].map(|count| {
            let track = walk(count);
            let once = || {
                let begun = Instant::now();
                let path = clean(&track, &recipe);
                let time = begun.elapsed().as_secs_f64() * 1e3;
                if count == 1000 {
                    keys = Report::of(&path, &track).keys;
                }
                time
            };
            std::iter::repeat_with(once).take(5).fold(f64::INFINITY, f64::min)
        });
        println!("| {name} | {:.1} ms | {:.1} ms | {:.1} ms | {keys} |", times[0], times[1], times[2]);
    }
}
