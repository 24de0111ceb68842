//! How near the engine comes to what is possible: its error over the Cramér-Rao bound (Robinson & Milanfar 2004), for a
//! patch with known gradients, random shifts below the pixel, and noise of known strength.
//!
//! `cargo bench -p jampin-cli --profile dev --bench bound`. The bound is that of a shift with gain and offset unknown.
//! "Two noisy frames" has the noise of pattern and picture, "one" that of the picture alone.

use jampin_core::align::{Aligner, Pattern};
use jampin_core::geometry::{Homography, Point, Size};
use jampin_core::image::{Plane, PlaneStack};
use jampin_core::pin::{Filter, Pin};
use jampin_core::solve::{Film, Solution, Unwatched, solve};
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{MotionModel, Track};

const SIZE: Size = Size::new(120, 110);
const CENTRE: Point = Point::new(60.5, 55.5);
const SIDE: usize = 31;
const TRIALS: usize = 2000;
/// Frames of a shot for the whole-shot solve.
const FRAMES: usize = 50;

fn main() {
    println!("| noise | trials | what | RMSE, px | bound, px | RMSE / bound | mean error, px |");
    println!("| --- | --- | --- | --- | --- | --- | --- |");
    for sigma in [1.0, 2.0, 4.0, 8.0] {
        let mut random = Random(20_261_126);
        frame_to_frame(sigma, &mut random);
        whole_shot(sigma, &mut random);
    }
    println!();
    bias();
}

/// Numbers that are the same each time (Marsaglia's xorshift, 2003).
struct Random(u64);

impl Random {
    fn uniform(&mut self) -> f64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 11) as f64 / (1u64 << 53) as f64
    }

    /// Standard normal (Box & Muller 1958).
    fn normal(&mut self) -> f64 {
        let radius = (-2.0 * (1.0 - self.uniform()).ln()).sqrt();
        radius * (std::f64::consts::TAU * self.uniform()).cos()
    }

    fn shift(&mut self) -> Point {
        Point::new(self.uniform() - 0.5, self.uniform() - 0.5)
    }
}

/// Waves: amplitude, and radians per pixel across and down.
const WAVES: [(f64, f64, f64); 5] =
    [(22.0, 0.43, 0.11), (20.0, -0.17, 0.39), (14.0, 0.62, -0.31), (12.0, 0.21, 0.66), (9.0, 0.08, -0.05)];

fn brightness(at: Point) -> f64 {
    120.0 + WAVES.iter().map(|(a, u, v)| a * (u * at.x + v * at.y).sin()).sum::<f64>()
}

fn gradient(at: Point) -> Point {
    let wave = |(a, u, v): &(f64, f64, f64)| Point::new(*u, *v) * (a * (u * at.x + v * at.y).cos());
    WAVES.iter().map(wave).fold(Point::default(), |sum, part| sum + part)
}

fn frame(shift: Point, sigma: f64, random: &mut Random) -> Plane {
    Plane::from_fn(SIZE, |col, row| {
        let at = Point::new(f64::from(col) + 0.5, f64::from(row) + 0.5) - CENTRE - shift;
        (brightness(at) + sigma * random.normal()).round().clamp(0.0, 255.0) as u8
    })
}

/// Standard deviation of the length of the error for one noisy frame: the root of the trace of the inverse information.
/// Rounding to whole numbers is noise too, of variance 1/12.
fn bound(sigma: f64) -> f64 {
    let samples: Vec<(f64, Point)> = (0..SIDE * SIDE)
        .map(|i| Point::new((i % SIDE) as f64 - 15.0, (i / SIDE) as f64 - 15.0))
        .map(|at| (brightness(at), gradient(at)))
        .collect();
    // What gain and offset explain of the gradients fixes nothing: take it out.
    let count = samples.len() as f64;
    let mean = samples.iter().map(|(value, _)| value).sum::<f64>() / count;
    let spread: f64 = samples.iter().map(|(value, _)| (value - mean).powi(2)).sum();
    let rest = |part: fn(&Point) -> f64| -> Vec<f64> {
        let average = samples.iter().map(|(_, g)| part(g)).sum::<f64>() / count;
        let along = samples.iter().map(|(value, g)| (value - mean) * part(g)).sum::<f64>() / spread;
        samples.iter().map(|(value, g)| part(g) - average - along * (value - mean)).collect()
    };
    let (gx, gy) = (rest(|g| g.x), rest(|g| g.y));
    let sum = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| a * b).sum::<f64>();
    let (xx, xy, yy) = (sum(&gx, &gx), sum(&gx, &gy), sum(&gy, &gy));
    let variance = sigma * sigma + 1.0 / 12.0;
    (variance * (xx + yy) / (xx * yy - xy * xy)).sqrt()
}

fn row(sigma: f64, trials: usize, what: &str, errors: &[Point], bound: f64) {
    let count = errors.len() as f64;
    let rmse = (errors.iter().map(|e| e.length().powi(2)).sum::<f64>() / count).sqrt();
    let mean = errors.iter().fold(Point::default(), |sum, e| sum + *e).length() / count;
    println!("| {sigma} | {trials} | {what} | {rmse:.5} | {bound:.5} | {:.2} | {mean:.5} |", rmse / bound);
}

fn align(first: &Plane, second: &Plane) -> Point {
    let whole = jampin_core::geometry::PixelRect { left: 0, top: 0, right: 120, bottom: 110 };
    let start = Homography::shift(CENTRE);
    let pattern = Pattern::pick(&[first.window(whole)], &start, SIDE, SIDE, Filter::None);
    Aligner::default().align(&pattern, &[second.window(whole)], start, MotionModel::Position, 3.0).centre() - CENTRE
}

fn frame_to_frame(sigma: f64, random: &mut Random) {
    let errors: Vec<Point> = (0..TRIALS)
        .map(|_| {
            let (from, to) = (random.shift(), random.shift());
            let (first, second) = (frame(from, sigma, random), frame(to, sigma, random));
            align(&first, &second) - (to - from)
        })
        .collect();
    row(sigma, TRIALS, "frame to frame, against two noisy frames", &errors, bound(sigma) * 2f64.sqrt());
}

/// The whole path may be off by as much as the noise moves the guide's own frame; that one number cannot be known from
/// the film, so it is shown apart.
fn whole_shot(sigma: f64, random: &mut Random) {
    let (mut with, mut without) = (Vec::new(), Vec::new());
    for _ in 0..TRIALS / (FRAMES - 1) + 1 {
        let shifts: Vec<Point> = (0..FRAMES).map(|n| if n == 0 { Point::default() } else { random.shift() }).collect();
        let planes = shifts.iter().map(|shift| frame(*shift, sigma, random)).collect();
        let mut stack = PlaneStack::new(planes).unwrap();
        let pin = Pin::new(Default::default(), Frame(0), CENTRE, [SIDE as u32; 2], [8; 2]);
        let range = FrameRange { first: Frame(0), last: Frame(FRAMES as u32 - 1) };
        let scene = stack.scene();
        let Solution::Solved(track) = solve(
            std::slice::from_mut(&mut stack),
            Film { scene: &scene, part: range },
            &pin,
            &Track::new(),
            range,
            &Unwatched,
        )
        .unwrap() else {
            panic!("not solved")
        };
        let errors: Vec<Point> =
            (1..FRAMES).map(|n| track.get(Frame(n as u32)).unwrap().at - CENTRE - shifts[n]).collect();
        let mean = errors.iter().fold(Point::default(), |sum, e| sum + *e) * (1.0 / errors.len() as f64);
        without.extend(errors.iter().map(|error| *error - mean));
        with.extend(errors);
    }
    let count = with.len();
    row(sigma, count, "whole shot, against two noisy frames", &with, bound(sigma) * 2f64.sqrt());
    row(sigma, count, "whole shot without the guide's own offset, against one", &without, bound(sigma));
}

/// Without noise, over a grid of shifts: what is left is the interpolation's own.
fn bias() {
    let mut random = Random(1);
    let steps = || (0..21).map(|i| f64::from(i) / 20.0 - 0.5);
    let all = steps().flat_map(|y| steps().map(move |x| Point::new(x, y)));
    let errors: Vec<f64> = all
        .map(|to| {
            // Ten phases of the pattern, so that what rounding does averages out.
            let mean = (0..10).fold(Point::default(), |sum, i| {
                let from = Point::new(0.1 * f64::from(i) - 0.45, 0.07 * f64::from(i) - 0.3);
                let (first, second) = (frame(from, 0.0, &mut random), frame(from + to, 0.0, &mut random));
                sum + (align(&first, &second) - to)
            });
            mean.length() / 10.0
        })
        .collect();
    let worst = errors.iter().copied().fold(0.0, f64::max);
    let rms = (errors.iter().map(|e| e * e).sum::<f64>() / errors.len() as f64).sqrt();
    println!("Bias without noise, 441 shifts, 8 bits: {rms:.5} px RMS, {worst:.5} px at most (aim: below 0.01).");
}
