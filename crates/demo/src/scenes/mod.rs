//! The shots of the Harrowmoss Cog Railway's open day. All of it is invented.

mod clock_tower;
mod landscape;
mod passing_loop;
mod people;
mod platform;
mod railcar;
mod street;
mod trials;
mod yard;

pub use clock_tower::clock_tower;
pub use passing_loop::passing_loop;
pub use platform::platform;
pub use street::film_trials;
pub use trials::trials;
pub use yard::yard;
