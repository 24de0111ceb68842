//! `jampin clean`: paths with few keyframes out of samples, without server or database.

use jampin_core::formats::{FrameCount, keys_csv, path_json};
use jampin_core::path::{Path, Recipe, Step, StepKind, clean};
use jampin_core::time::{Frame, FrameRange, Rational};

use crate::args::CleanArgs;
use crate::error::bad_input;
use crate::output::write;
use crate::samples_file;

pub(crate) fn run(args: &CleanArgs) -> anyhow::Result<()> {
    let recipe = recipe(args);
    recipe.check().map_err(bad_input)?;
    let rate = rate(&args.rate)?;
    let tracks = samples_file::read(&args.samples)?;
    let paths: Vec<(&str, Path)> = tracks.iter().map(|(name, track)| (name.as_str(), clean(track, &recipe))).collect();
    let frames = || tracks.iter().flat_map(|(_, track)| track.iter().map(|(frame, _)| frame));
    let range = FrameRange { first: frames().min().unwrap_or(Frame(0)), last: frames().max().unwrap_or(Frame(0)) };
    let count = FrameCount::From(0);
    let text = if args.out.extension().is_some_and(|ending| ending == "csv") {
        keys_csv(&paths, count)
    } else {
        format!("{}\n", path_json(&paths, range, rate, count))
    };
    write(&args.out, &text)
}

/// The usual recipe, with another tolerance.
fn recipe(args: &CleanArgs) -> Recipe {
    let mut recipe = Recipe::default();
    let with_tolerance = |step: &mut Step| {
        if let StepKind::Curve { tolerance } = &mut step.kind {
            *tolerance = args.tolerance;
        }
    };
    recipe.steps.iter_mut().for_each(with_tolerance);
    recipe
}

/// `25`, `29.97` or `30000/1001`.
fn rate(text: &str) -> anyhow::Result<Rational> {
    let (num, den) = text.split_once('/').unwrap_or((text, "1"));
    let rate = num.parse::<f64>().ok().zip(den.parse::<f64>().ok()).filter(|(num, den)| *num > 0.0 && *den > 0.0);
    let (num, den) = rate.ok_or_else(|| bad_input(format!("{text:?} is no rate; write 25 or 30000/1001")))?;
    let whole = num.fract() == 0.0 && den.fract() == 0.0;
    let scale = if whole { 1.0 } else { 1000.0 };
    Ok(Rational { num: (num * scale).round() as u32, den: (den * scale).round() as u32 })
}
