//! What several crates' tests need: films made on the spot, a database, a running server. Never shipped.

mod database;
mod film;
mod http;
mod server;

pub use database::fresh_database;
pub use film::{decode_rgb, make_film, probe_values, real_film};
pub use http::{Answer, request};
pub use server::Server;
