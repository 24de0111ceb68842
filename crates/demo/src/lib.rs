//! The simulated camera: made-up shots of a made-up railway with exactly known motion.
//!
//! It draws a scene in layers with depth, moves through it, and exposes frames with shutter, grain and a codec. Beside
//! each film it writes where named points are on every frame: demo data and measuring stick in one. Deterministic.

mod camera;
mod canvas;
mod film;
mod noise;
mod scenes;
mod texture;

pub use camera::{Layer, Pose, Shot, TruePoint};
pub use film::{DemoFilm, Truth, TruthPoint, write_film};
pub use scenes::{clock_tower, film_trials, passing_loop, pennant, plain_ball, platform, station_front, trials, yard};

/// The demo shots, by the names of their files.
pub fn shots() -> Vec<Shot> {
    vec![passing_loop(), platform(), yard(), clock_tower(), station_front(), pennant()]
}
