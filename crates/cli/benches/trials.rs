//! How true the engine is: the trial shots of the simulated camera, whose motion is known exactly.
//!
//! `cargo bench -p jampin-cli --bench trials [-- NAME]` prints a table. `-- --frames FOLDER` writes the same frames and
//! pins for `opencv_trials.py`, which adds what OpenCV makes of them.

use std::io::Write;
use std::path::Path as FilePath;
use std::process::{Command, Stdio};
use std::time::Instant;

use jampin_core::geometry::{Point, Size};
use jampin_core::image::{Plane, PlaneStack, Scene};
use jampin_core::matching::choose_search;
use jampin_core::path::{Path, Recipe, Step, StepKind, clean};
use jampin_core::pin::Pin;
use jampin_core::solve::{Film, Solution, Unwatched, solve};
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{MotionModel, SampleState, Track};
use jampin_demo::{Shot, TruePoint, film_trials, trials};
use rayon::prelude::*;

/// Side of the patterns, in pixels, for all methods: the signs are three times as large in the large picture.
fn side(shot: &Shot) -> u32 {
    if shot.size.width > 2000 { 71 } else { 31 }
}

fn main() {
    let words: Vec<String> = std::env::args().skip(1).filter(|word| word != "--bench").collect();
    let folder = words.iter().position(|word| word == "--frames").map(|i| FilePath::new(&words[i + 1]).to_owned());
    let only = words.first().filter(|word| !word.starts_with("--"));
    println!(
        "| shot | pin | found of visible | RMSE | median | worst | drift | 1 px | 2 px | 4 px | 8 px | 16 px | hidden called found | us/frame |"
    );
    println!("| --- | --- | --- | --- | --- | --- | --- | --- | --- | --- | --- | --- | --- | --- |");
    let mut by_position = trials();
    by_position.retain(|shot| shot.name == "tilting plane");
    by_position.iter_mut().for_each(|shot| shot.name = "tilting plane, position only");
    let all: Vec<Shot> = trials().into_iter().chain(film_trials()).chain(by_position).collect();
    for shot in all.iter().filter(|shot| only.is_none_or(|only| shot.name.contains(only.as_str()))) {
        let mut stack = frames(shot);
        let scene = stack.scene();
        for point in shot.points() {
            let pin = pin_for(shot, point, &mut stack);
            if let Some(folder) = &folder {
                export(folder, shot, point, &pin, &stack);
            }
            report(shot, point, &pin, &mut stack, &scene);
        }
    }
}

fn luma(rgb: &[u8]) -> u8 {
    // ITU-R BT.709.
    (0.2126 * f32::from(rgb[0]) + 0.7152 * f32::from(rgb[1]) + 0.0722 * f32::from(rgb[2])).round() as u8
}

fn frames(shot: &Shot) -> PlaneStack {
    let grey = |frame: u32| -> Vec<u8> { shot.expose(frame).chunks_exact(3).map(luma).collect() };
    let mut planes: Vec<Vec<u8>> = (0..shot.frames).into_par_iter().map(grey).collect();
    match shot.name {
        "low bit rate" => planes = through_codec(planes, shot.size, &["libx264", "-crf", "30", "-g", "250"]),
        "MPEG-4 at a low rate" => planes = through_codec(planes, shot.size, &["mpeg4", "-b:v", "350k", "-g", "50"]),
        _ => {}
    }
    PlaneStack::new(planes.into_iter().map(|data| Plane::new(shot.size, data).unwrap()).collect()).unwrap()
}

/// Coded at a low bit rate, and back.
fn through_codec(planes: Vec<Vec<u8>>, size: Size, codec: &[&str]) -> Vec<Vec<u8>> {
    let film = tempfile::NamedTempFile::with_suffix(".mp4").unwrap();
    let shape = format!("{}x{}", size.width, size.height);
    let raw = ["-f", "rawvideo", "-pix_fmt", "gray", "-s", &shape, "-r", "25", "-i", "pipe:0"];
    let mut encoder = Command::new("ffmpeg")
        .args(["-loglevel", "error", "-y"])
        .args(raw)
        .args(["-pix_fmt", "yuv420p", "-c:v"])
        .args(codec)
        .arg(film.path())
        .stdin(Stdio::piped())
        .spawn()
        .unwrap();
    let mut pipe = encoder.stdin.take().unwrap();
    planes.iter().for_each(|plane| pipe.write_all(plane).unwrap());
    drop(pipe);
    assert!(encoder.wait().unwrap().success());
    let bits = film.path().metadata().unwrap().len() * 8;
    eprintln!("{}: {} kbit/s", codec[0], bits * 25 / planes.len() as u64 / 1000);
    let decoded = Command::new("ffmpeg")
        .args(["-loglevel", "error", "-i"])
        .arg(film.path())
        .args(["-f", "rawvideo", "-pix_fmt", "gray", "pipe:1"])
        .output()
        .unwrap();
    assert!(decoded.status.success());
    decoded.stdout.chunks_exact(size.area()).map(<[u8]>::to_vec).collect()
}

fn pin_for(shot: &Shot, point: &TruePoint, stack: &mut PlaneStack) -> Pin {
    let first = (0..shot.frames).find(|frame| clear(shot, point, *frame)).expect("it can be seen somewhere");
    let at = shot.place(point, first);
    let search = choose_search(stack, Frame(first), Some(Frame(first + 1)), at, side(shot)).unwrap();
    let motion = match shot.name {
        "turn and zoom" => MotionModel::Scale,
        "tilting plane" => MotionModel::Perspective,
        _ => MotionModel::Position,
    };
    Pin { motion, ..Pin::new(Default::default(), Frame(first), at, [side(shot); 2], [search; 2]) }
}

/// Whether all of the pattern can be seen.
fn clear(shot: &Shot, point: &TruePoint, frame: u32) -> bool {
    let place = shot.place(point, frame);
    let half = f64::from(side(shot)) / 2.0 + 2.0;
    let corners = [(-half, -half), (half, -half), (-half, half), (half, half)];
    shot.is_visible(point, frame) && corners.iter().all(|(x, y)| shot.size.contains(place + Point::new(*x, *y)))
}

fn report(shot: &Shot, point: &TruePoint, pin: &Pin, stack: &mut PlaneStack, scene: &Scene) {
    let range = FrameRange { first: Frame(0), last: Frame(shot.frames - 1) };
    let begun = Instant::now();
    let solution =
        solve(std::slice::from_mut(stack), Film { scene, part: range }, pin, &Track::new(), range, &Unwatched).unwrap();
    let cost = begun.elapsed().as_secs_f64() * 1e6 / f64::from(shot.frames);
    let Solution::Solved(track) = solution else { panic!("{} {}: {solution:?}", shot.name, point.name) };
    let mut errors = Vec::new();
    let (mut visible, mut hidden, mut wrong) = (0, 0, 0);
    for frame in 0..shot.frames {
        // The frame on which the pattern was picked is no feat.
        if Frame(frame) == pin.frame {
            continue;
        }
        let seen = shot.is_visible(point, frame);
        let found = track.get(Frame(frame)).filter(|sample| sample.state == SampleState::Found);
        if seen {
            visible += 1;
            errors.extend(found.map(|sample| sample.at - shot.place(point, frame)));
        } else {
            hidden += 1;
            wrong += u32::from(found.is_some());
        }
    }
    let lengths: Vec<f64> = errors.iter().map(|error| error.length()).collect();
    println!(
        "| {} | {} | {} of {visible} | {} | {wrong} of {hidden} | {cost:.0} |",
        shot.name,
        point.name,
        errors.len(),
        figures(&errors, lengths)
    );
    if std::env::var("TRIALS_CLEAN").is_ok() {
        cleaned(shot, point, pin, &track);
    }
    if std::env::var("TRIALS_STATES").is_ok() {
        let mark = |frame: u32| match (shot.is_visible(point, frame), track.get(Frame(frame)).unwrap().state) {
            (true, SampleState::Found) => '.',
            (true, _) => 'm',
            (false, SampleState::Found) => '!',
            (false, _) => '-',
        };
        println!("{}", (0..shot.frames).map(mark).collect::<String>());
        let mut worst: Vec<(f64, u32)> = (0..shot.frames)
            .filter(|f| track.get(Frame(*f)).unwrap().state == SampleState::Found)
            .map(|f| (track.get(Frame(f)).unwrap().at.distance(shot.place(point, f)), f))
            .collect();
        worst.sort_by(|a, b| b.0.total_cmp(&a.0));
        for (error, f) in worst.iter().take(5) {
            println!("  frame {f}: {error:.2} px, {:?} {:?}", track.get(Frame(*f)).unwrap(), shot.place(point, *f));
        }
    }
}

/// How near to the truth the path is when cleaned: jitter out, and the whole usual recipe.
fn cleaned(shot: &Shot, point: &TruePoint, pin: &Pin, track: &Track) {
    let usual = Recipe::default();
    let jitter = Recipe { steps: vec![Step::new(StepKind::Smooth { strength: 1.0 })], hand_keys: Vec::new() };
    let found = |frame: &Frame| *frame != pin.frame && track.get(*frame).is_some_and(|s| s.state == SampleState::Found);
    let rmse = |path: &Path| {
        let squares: Vec<f64> = path
            .iter()
            .filter(|(frame, _)| found(frame))
            .map(|(frame, at)| at.distance(shot.place(point, frame.0)).powi(2))
            .collect();
        (squares.iter().sum::<f64>() / squares.len() as f64).sqrt()
    };
    let (calm, few) = (clean(track, &jitter), clean(track, &usual));
    println!(
        "{} | {} | raw {:.3} | jitter out {:.3} | usual recipe {:.3} | {} frames, {} keyframes",
        shot.name,
        point.name,
        rmse(&Path::raw(track)),
        rmse(&calm),
        rmse(&few),
        few.iter().count(),
        few.keys().count()
    );
}

fn figures(errors: &[Point], mut lengths: Vec<f64>) -> String {
    let rmse = (lengths.iter().map(|e| e * e).sum::<f64>() / lengths.len() as f64).sqrt();
    lengths.sort_by(f64::total_cmp);
    let (median, worst) = (lengths[lengths.len() / 2], lengths[lengths.len() - 1]);
    let last = &errors[errors.len().saturating_sub(10)..];
    let drift = last.iter().fold(Point::default(), |sum, error| sum + *error).length() / last.len() as f64;
    let within = |most: f64| lengths.iter().filter(|e| **e <= most).count() as f64 * 100.0 / lengths.len() as f64;
    let shares: Vec<String> = [1.0, 2.0, 4.0, 8.0, 16.0].iter().map(|most| format!("{:.0} %", within(*most))).collect();
    format!("{rmse:.3} | {median:.3} | {worst:.3} | {drift:.3} | {}", shares.join(" | "))
}

/// Frames as raw bytes, and the pin with its truth as JSON, one file for each shot and pin.
fn export(folder: &FilePath, shot: &Shot, point: &TruePoint, pin: &Pin, stack: &PlaneStack) {
    std::fs::create_dir_all(folder).unwrap();
    let raw = folder.join(format!("{}.grey", shot.name));
    if !raw.exists() {
        let mut file = std::fs::File::create(&raw).unwrap();
        stack.planes().iter().for_each(|plane| file.write_all(plane.data()).unwrap());
    }
    let places: Vec<[f64; 2]> = (0..shot.frames).map(|n| shot.place(point, n)).map(|at| [at.x, at.y]).collect();
    let visible: Vec<bool> = (0..shot.frames).map(|n| shot.is_visible(point, n)).collect();
    let value = serde_json::json!({
        "shot": shot.name, "pin": point.name, "width": shot.size.width, "height": shot.size.height, "frames": shot.frames,
        "first": pin.frame, "side": side(shot), "search": pin.search[0], "place": places, "visible": visible,
    });
    std::fs::write(folder.join(format!("{} {}.json", shot.name, point.name)), value.to_string()).unwrap();
}
