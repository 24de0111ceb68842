//! The shots of the Harrowmoss Cog Railway's open day. All of it is invented.

use jampin_core::geometry::Size;

use crate::camera::Shot;

mod clock_tower;
mod landscape;
mod passing_loop;
mod pennant;
mod people;
mod platform;
mod railcar;
mod station_front;
mod street;
mod trials;
mod yard;

pub use clock_tower::clock_tower;
pub use passing_loop::passing_loop;
pub use pennant::pennant;
pub use platform::platform;
pub use station_front::station_front;
pub use street::film_trials;
pub use trials::{plain_ball, trials};
pub use yard::yard;

/// A shot of nothing yet, as the open day's camera takes it: half of each frame's time open, with a little grain.
fn filmed(name: &'static str, frames: u32) -> Shot {
    Shot {
        name,
        size: Size::new(1280, 720),
        frames,
        rate: 25,
        shutter: 0.5,
        grain: 1.8,
        defocus: |_| 0.0,
        light: |_| 1.0,
        readout: 0.0,
        samples: 1,
        layers: Vec::new(),
        points: Vec::new(),
    }
}
