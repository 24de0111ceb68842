//! The shots of the Harrowmoss Cog Railway's open day. All of it is invented.

mod clock_tower;
mod landscape;
mod passing_loop;
mod people;
mod platform;
mod railcar;
mod station_front;
mod street;
mod trials;
mod yard;

pub use clock_tower::clock_tower;
pub use passing_loop::passing_loop;
pub use platform::platform;
pub use station_front::station_front;
pub use street::film_trials;
pub use trials::{plain_ball, trials};
pub use yard::yard;
